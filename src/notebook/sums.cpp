#include "notebook/sums.hpp"

#include <bit>

namespace tidewater {
namespace {

/// FNV-1a, 64 bits, a word at a time.
class Sum {
 public:
  explicit Sum(std::uint64_t& sum) : sum_(sum) {}

  Sum& operator<<(std::uint64_t word) {
    sum_ = (sum_ ^ word) * 0x100000001b3U;
    return *this;
  }
  Sum& operator<<(std::int64_t word) { return *this << static_cast<std::uint64_t>(word); }
  Sum& operator<<(MixFrame frame) { return *this << frame.value; }
  Sum& operator<<(double value) { return *this << std::bit_cast<std::uint64_t>(value); }
  Sum& operator<<(std::string_view text) { return *this << hash_name(text); }
  Sum& operator<<(PlaybackId id) { return *this << id.raise << std::uint64_t{id.response} << std::uint64_t{id.beat}; }
  Sum& operator<<(Outcome outcome) { return *this << to_text(outcome); }
  Sum& operator<<(Ending ending) { return *this << to_text(ending); }

 private:
  std::uint64_t& sum_;
};

void add(noted::Sums& to, const BegunNote& n) {
  Sum(to.choose) << n.playback << n.sound->name << n.layer->name << n.clip->name << n.gain.value << n.pitch.value << n.pan.value
                 << n.low_pass.value << n.clip_start.value << n.starts;
  Sum(to.voices) << n.playback << n.outcome << std::uint64_t{n.voice};
}
/// A replay has nothing that is not a number to refuse: the refusal changed nothing, and no line has it.
void add(noted::Sums& to, const DecidedNote& n) {
  if (n.outcome != Outcome::not_a_number) Sum(to.play) << n.outcome << n.raise << n.playback << n.event;
}
void add(noted::Sums& to, const DueNote& n) { Sum(to.voices) << n.playback << n.outcome << std::uint64_t{n.voice} << n.starts; }
void add(noted::Sums& to, const FadingNote& n) { Sum(to.voices) << n.playback << n.how << std::uint64_t{n.voice} << n.fade.value; }
void add(noted::Sums& to, const WokeNote& n) { Sum(to.voices) << n.playback << std::uint64_t{n.voice} << n.starts; }
void add(noted::Sums& to, const EndedNote& n) { Sum(to.voices) << n.playback << n.how; }

}  // namespace

std::optional<noted::Sums> RunningSums::take(const Note& note) {
  return std::visit(
      [&](const auto& what) -> std::optional<noted::Sums> {
        if constexpr (requires { add(so_far_, what); }) {
          std::optional<noted::Sums> before;
          if (const std::int64_t second = note.at.value / rate_; second > so_far_.second) {
            so_far_.second = second;
            before = so_far_;
          }
          add(so_far_, what);
          return before;
        }
        return std::nullopt;
      },
      note.what);
}

}  // namespace tidewater
