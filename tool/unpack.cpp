#include "tidewater/author/unpack.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <string>
#include <string_view>
#include <vector>

#include "commands.hpp"
#include "print.hpp"
#include "tidewater/error.hpp"
#include "tidewater/open_bank.hpp"

namespace tidewater::tool {

int unpack(const UnpackCall& call) {
  const Bank bank = open_bank_with_names(call.bank);
  std::vector<Bank> bases;
  for (const std::string& base : call.bases) bases.push_back(open_bank(base));
  for (const std::string_view needed : bank.bases())
    if (std::none_of(bases.begin(), bases.end(), [&](const Bank& base) { return base.name() == needed; }))
      throw Error(fmt::format("{}: it has clips in the bank '{}': name that one, too, by --base FILE", call.bank, needed));
  const Unpacked unpacked = tidewater::unpack(bank, call.output, bases);
  say("  book       {}\n  clips      {} in {}/clips\n", unpacked.book, unpacked.clips, call.output);
  say("  content    {}\n",
      unpacked.the_same
          ? "packs to the same again, bit for bit"
          : "does not pack to the very same: the bank is of an older version, has one clip in two ways, or was left without its names");
  say("  next       tidewater audition {} NAME; tidewater show {} lists the names\n", unpacked.book, unpacked.book);
  return fine;
}

}  // namespace tidewater::tool
