#include <fmt/format.h>

#include <algorithm>

#include "base/nearest.hpp"
#include "tidewater/author/compile.hpp"
#include "tidewater/author/rehearsal.hpp"
#include "tidewater/error.hpp"
#include "tidewater/manager.hpp"

namespace tidewater {
namespace {

constexpr Hertz rehearsal_rate{48000};
constexpr std::int64_t rehearsal_block = 480;
constexpr Seconds longest_wait{600};  ///< for a bar that may never come

const BookSound& known_track(const Book& book, const std::string& name) {
  std::vector<std::string_view> known;
  for (const BookSound& its : book.sounds) {
    if (!its.track) continue;
    if (its.name == name) return its;
    known.push_back(its.name);
  }
  throw Error(fmt::format("{}: there is no track '{}'{}", book.file, name, did_you_mean(name, known)));
}

class Rehearsal {
 public:
  Rehearsal(const Book& book, const RehearsalListener& listener, const RehearsalOptions& options)
      : listener_(listener), manager_({.rate = rehearsal_rate, .seed = options.seed, .journal = listener.journal, .offline = true}) {
    manager_.load(compile(book));
    for (const auto& [gauge, value] : options.gauges) manager_.set_gauge(Name(gauge), value);
  }

  void play(const std::string& track, Name stand) {
    track.empty() ? manager_.leave(stand) : manager_.play(Name(track));
    since_ = 0;
  }

  /// Lets time pass until `is()`, or for `most`. Returns false if it is to end.
  template <class Is>
  bool pass(Seconds most, Is is) {
    for (std::int64_t left = frames(most, rehearsal_rate).value; left > 0 && !is(); left -= rehearsal_block) {
      if (listener_.go_on && !listener_.go_on()) return false;
      manager_.update(seconds({rehearsal_block}, rehearsal_rate));
      std::vector<float> block(2 * rehearsal_block);
      manager_.render(block);
      since_ += rehearsal_block;
      if (listener_.sound) listener_.sound(block);
    }
    return true;
  }

  /// Whether a bar of the track has come, or as many seconds where nothing has bars.
  bool has_come(const std::string& track, Name stand, std::int64_t bar) const {
    const auto beat = manager_.beat(stand);
    if (!beat) return seconds({since_}, rehearsal_rate).value >= static_cast<double>(bar);
    return beat->track.text() == track && beat->bar >= bar;
  }

 private:
  const RehearsalListener& listener_;
  SoundManager manager_;
  std::int64_t since_ = 0;  ///< frames since the last track was asked for
};

}  // namespace

void rehearse(const Book& book, const std::string& track, const std::vector<RehearsedChange>& changes, const RehearsalListener& listener,
              const RehearsalOptions& options) {
  const Name stand(known_track(book, track).track->stand_name());
  for (const RehearsedChange& change : changes)
    if (!change.track.empty()) known_track(book, change.track);
  Rehearsal rehearsal(book, listener, options);
  rehearsal.play(track, stand);
  std::string now = track;
  for (const RehearsedChange& change : changes) {
    if (!rehearsal.pass(longest_wait, [&] { return rehearsal.has_come(now, stand, change.bar); })) return;
    rehearsal.play(change.track, stand);
    now = change.track;
  }
  if (!changes.empty() && !now.empty())
    if (!rehearsal.pass(longest_wait, [&] { return rehearsal.has_come(now, stand, 1); })) return;
  rehearsal.pass(options.rest, [] { return false; });
}

}  // namespace tidewater
