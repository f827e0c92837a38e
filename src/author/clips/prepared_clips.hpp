#pragma once
#include <functional>
#include <map>
#include <string>
#include <vector>

#include "author/clips/kept_clips.hpp"
#include "bank/bank_data.hpp"
#include "tidewater/author/book.hpp"

namespace tidewater {

/// The clips of a book as a bank holds them, each once for every way in which layers use it. Decoded on every core; what
/// was prepared before is read from the cache, by the content of its file.
class PreparedClips {
 public:
  /// For `target`, where there is one, with speech in `language`. `progress` hears how many of how many are done. Clips
  /// that `kept` holds are not prepared again, and new clips are added to it. `kept` may be null.
  PreparedClips(const Book& book, Hertz rate, const BookTarget* target = nullptr, const std::string& language = {},
                const std::function<void(std::size_t, std::size_t)>& progress = {}, KeptClips* kept = nullptr);

  /// Clips that cannot be played, with the place in the book.
  const std::vector<Problem>& problems() const { return problems_; }
  /// The place of a clip, as a layer uses it, among `clips`.
  std::uint32_t number(const std::string& path, const BookLayer& layer) const { return numbers_.at({path, &layer}); }
  std::vector<BankClip> take_clips() { return std::move(clips_); }

 private:
  std::map<std::pair<std::string, const BookLayer*>, std::uint32_t> numbers_;
  std::vector<BankClip> clips_;
  std::vector<Problem> problems_;
};

}  // namespace tidewater
