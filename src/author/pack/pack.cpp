#include "tidewater/author/pack.hpp"

#include <filesystem>

#include "tidewater/author/compile.hpp"
#include "tidewater/error.hpp"

namespace tidewater {

PackedBank pack(const Book& book, const std::string& folder, const PackOptions& options) {
  namespace fs = std::filesystem;
  const Bank bank = compile(book, {options.rate});
  std::error_code trouble;
  fs::create_directories(folder, trouble);
  if (trouble) throw Error(folder + ": the folder cannot be made: " + trouble.message());
  PackedBank packed;
  packed.name = bank.name();
  packed.file = (fs::path(folder) / (packed.name + ".tidebank")).string();
  write_bank(bank, packed.file);
  packed.bytes = fs::file_size(packed.file);
  packed.events = bank.events().size();
  packed.sounds = bank.sounds().size();
  packed.clips = bank.clips();
  return packed;
}

}  // namespace tidewater
