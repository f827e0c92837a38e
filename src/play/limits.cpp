#include <fmt/format.h>

#include <algorithm>

#include "play/manager_state.hpp"

namespace tidewater {

namespace {

/// Words on the stack: what is held back often must not allocate.
class Words {
 public:
  template <class... Args>
  explicit Words(fmt::format_string<Args...> format, const Args&... args) {
    fmt::vformat_to(std::back_inserter(text_), fmt::string_view(format), fmt::make_format_args(args...));
  }
  operator std::string_view() const { return {text_.data(), text_.size()}; }

 private:
  fmt::memory_buffer text_;
};

/// Told to go, in every layer that is left.
bool leaving(const LivePlayback& first) {
  for (const LivePlayback* layer = &first; layer != nullptr; layer = layer->next)
    if (layer->sound != nullptr && layer->stage != Stage::leaving) return false;
  return true;
}

}  // namespace

/// Puts the starts of a sound that go on into `in_order`: of one emitter, or of all.
void ManagerState::list_starts(const LiveSound& sound, std::optional<std::uint64_t> emitter) {
  in_order.clear();
  for (LivePlayback* first : sound.starts)
    if ((!emitter || first->emitter == *emitter) && !leaving(*first)) in_order.push_back(first);
  std::sort(in_order.begin(), in_order.end(), [](const LivePlayback* a, const LivePlayback* b) { return a->id < b->id; });
}

/// Tells every layer of a start to go.
void ManagerState::leave_start(LivePlayback& first, Seconds fade, const char* how, std::string_view why) {
  // The next is looked up before: with the last layer that ends all slots are free.
  for (LivePlayback *layer = &first, *next = nullptr; layer != nullptr; layer = next) {
    next = layer->next;
    if (layer->sound != nullptr && layer->stage != Stage::leaving) leave(*layer, fade, how, why);
  }
}

/// Whether the sound is heard to begin, or will be, less than its spacing from a frame.
bool ManagerState::heard_near(const LiveSound& sound, std::uint64_t emitter, std::int64_t frame) const {
  const BankSound& design = *sound.design;
  const std::int64_t spacing = frames_of(design.spacing);
  if (spacing <= 0) return false;
  const auto near = [&](std::int64_t other) { return std::abs(frame - other) < spacing; };
  const LastStarts& last = sound.last_starts[design.limit_each_emitter ? slot_of(emitter) : 0];
  const bool same = !design.limit_each_emitter || last.emitter == emitter;
  if (same && std::any_of(last.heard.begin(), last.heard.end(), near)) return true;
  return std::any_of(sound.starts.begin(), sound.starts.end(), [&](const LivePlayback* first) {
    return (!design.limit_each_emitter || first->emitter == emitter) && near(first->heard);
  });
}

/// The gates of the book, in this order: retrigger, spacing, limit. Nothing where the sound may start; what has to make
/// room for it has been told to go. What is held back draws and picks nothing.
std::optional<Outcome> ManagerState::hold_back(LiveSound& sound, PlaybackId id, std::uint64_t emitter, std::int64_t heard) {
  const BankSound& design = *sound.design;
  if (design.retrigger == Retrigger::overlap && design.spacing <= Seconds{0} && design.limit == 0) return std::nullopt;
  const std::string_view whose = design.limit_each_emitter ? " for this emitter" : "";
  list_starts(sound, design.limit_each_emitter ? std::optional(emitter) : std::nullopt);

  if (design.retrigger == Retrigger::ignore && !in_order.empty())
    return decide(Outcome::already_playing, id, Words("'{}' plays already{}, and its retrigger is \"ignore\"", design.name, whose));

  if (heard_near(sound, emitter, heard))
    return decide(Outcome::too_soon, id,
                  design.spacing < Seconds{1}
                      ? Words("'{}' started less than {:g} ms ago{}: its spacing", design.name, 1000 * design.spacing.value, whose)
                      : Words("'{}' started less than {:g} s ago{}: its spacing", design.name, design.spacing.value, whose));

  if (design.retrigger == Retrigger::restart) {
    for (LivePlayback* first : in_order) leave_start(*first, design.fade_out, "restarted", "it was asked for again");
    return std::nullopt;
  }
  if (design.limit == 0 || in_order.size() < design.limit) return std::nullopt;
  const Words why("{} of '{}' play already{}: its limit", in_order.size(), design.name, whose);
  if (design.when_full == WhenFull::newest) return decide(Outcome::limit_reached, id, why);
  const auto level = [this](const LivePlayback* first) {
    double loudest = 0;
    for (const LivePlayback* layer = first; layer != nullptr; layer = layer->next)
      if (layer->sound != nullptr) loudest = std::max(loudest, level_of(*layer));
    return loudest;
  };
  const auto yields = design.when_full == WhenFull::oldest
                          ? in_order.begin()
                          : std::min_element(in_order.begin(), in_order.end(), [&](auto* a, auto* b) { return level(a) < level(b); });
  leave_start(**yields, design.fade_out, "yielded", why);
  return std::nullopt;
}

}  // namespace tidewater
