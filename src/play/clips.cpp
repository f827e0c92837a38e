/// Clips of loaded banks: which are in memory, who waits for one, and who makes room.

#include <algorithm>
#include <utility>

#include "play/control.hpp"

namespace tidewater {
namespace {

bool preloads(const BankClip& clip, Preload preload) {
  return preload == Preload::all || clip.place.size == 0 || (preload == Preload::by_book && clip.preload);
}

}  // namespace

Preload Control::preload_of(const BankData& data, Preload wanted) const {
  // Offline, the call that needs a clip reads it: as far as decisions go, it is there.
  if (options.offline && !replaying) return Preload::all;
  const bool any = std::any_of(data.clips.begin(), data.clips.end(), [&](const BankClip& clip) { return !preloads(clip, wanted); });
  return any ? wanted : Preload::all;
}

ClipsOnTheirWay::ClipsOnTheirWay(const BankData& data, Preload preload, Preload decided)
    : data_(data), preload_(preload), samples_(data), clips_(data.clips.size()) {
  for (std::uint32_t number = 0; number < clips_.size(); ++number) {
    const BankClip& its = data.clips[number];
    clips_[number].stays = clips_[number].there = preloads(its, decided);
    if (preloads(its, preload)) bytes_ += its.bytes();
  }
}

bool ClipsOnTheirWay::read_one() {
  while (next_ < clips_.size() && !preloads(data_.clips[next_], preload_)) ++next_;
  if (next_ == clips_.size()) return false;
  Read<ClipData> read = samples_.read(data_.clips[next_]);
  if (!read.value) {
    problem_ = std::move(read.problem);
    return false;
  }
  clips_.give(clips_[next_++], *std::move(read.value));
  return true;
}

Read<LiveClips> Control::read_clips(const BankData& data, Preload wanted) const {
  ClipsOnTheirWay clips(data, wanted, preload_of(data, wanted));
  while (clips.read_one()) {
  }
  if (!clips.problem().empty()) return {std::nullopt, clips.problem()};
  return {clips.take(), {}};
}

void Control::start_reading() {
  if (!options.offline && options.reading_thread) reader.run_on_its_own();
}

void Control::make_ready_to_read(const BankData& data, LiveClips& clips) {
  const bool streams = std::any_of(data.clips.begin(), data.clips.end(), [](const BankClip& clip) { return clip.streamed != nullptr; });
  if (streams) voices.streams().prepare();
  const std::size_t away = clips.away();
  reader.clips.prepare(away);
  if (streams || away > 0) start_reading();
}

/// On the calling thread. Empty where it was read, or else what is wrong.
std::string Control::read_now(LiveBank& bank, LiveClip& clip) {
  if (clip.data.there()) return {};
  Read<ClipData> got = SampleReader(*bank.data).read(bank.data->clips[bank.clips.number_of(clip)]);
  if (got.value) bank.clips.give(clip, *std::move(got.value));
  return got.problem;
}

void Control::want(LiveBank& bank, LiveClip& clip) {
  if (clip.there || std::exchange(clip.wanted, true)) return;
  reader.clips.want(bank.data, bank.serial, bank.clips.number_of(clip));
  reader.wake();
}

/// Offline what is needed is read. Layers whose clip cannot be are left out, and `problem` says why. True where something has to be
/// waited for.
bool Control::wait_for_clips(LiveBank& bank, Layers& layers, std::string& problem) {
  bool any = false;
  layers.erase_if([&](Candidate& candidate) {
    LiveClip& clip = *candidate.live;
    if (clip.there && clip.data.there()) return false;
    if (!options.offline || (replaying && !clip.there)) {
      any = candidate.unread = true;
      if (!options.offline) want(bank, clip);
      return false;
    }
    if (std::string why = read_now(bank, clip); !why.empty()) {
      problem = std::move(why);
      return true;
    }
    if (!clip.there) bank.clips.came(clip, 0);
    return false;
  });
  return any;
}

Outcome Control::carry_out(const asked::Prefetch& prefetch, const Beside&) {
  const Catalogue::Event* known = loaded.catalogue()->find(prefetch.event);
  if (known == nullptr) return decide_unknown(prefetch.event, {});
  LiveBank& bank = *known->bank;
  each_started_sound(*known->design, [&](std::uint32_t sound) {
    for (const BankLayer& layer : bank.data->sounds[sound].layers)
      for (const BankChoice& choice : layer.choices)
        for (const BankClipUse& use : choice.clips) {
          LiveClip& clip = bank.clips[use.clip];
          if (options.offline)
            read_now(bank, clip);  // what cannot be read is told when it is to be heard
          else
            want(bank, clip);
        }
  });
  return Outcome::done;
}

namespace {

/// The clip of a bank that a request is about: tomorrow's bank may have it in another place. Null where it has none.
LiveClip* find(LiveBank& bank, std::string_view name, std::uint64_t number) {
  const std::vector<BankClip>& clips = bank.data->clips;
  if (number < clips.size() && clips[static_cast<std::size_t>(number)].name == name) return &bank.clips[static_cast<std::size_t>(number)];
  const auto known = std::find_if(clips.begin(), clips.end(), [&](const BankClip& clip) { return clip.name == name; });
  return known == clips.end() ? nullptr : &bank.clips[static_cast<std::size_t>(known - clips.begin())];
}

}  // namespace

Outcome Control::carry_out(const asked::ClipRead& its, const Beside& beside) {
  LiveBank* bank = loaded.bank_of_load(its.bank, its.load);
  LiveClip* clip = bank == nullptr ? nullptr : find(*bank, its.clip, its.number);
  if (clip == nullptr) return Outcome::done;
  clip->wanted = false;
  if (clip->there) return Outcome::done;
  std::string why(its.why);
  if (why.empty() && beside.read != nullptr)
    bank->clips.give(*clip, std::move(*beside.read));
  else if (why.empty())
    why = read_now(*bank, *clip);
  if (why.empty())
    voices.clip_came(*bank, *clip);
  else
    voices.clip_failed(*bank, *clip);
  claim_due();
  return Outcome::done;
}

Outcome Control::carry_out(const asked::ClipDropped& its, const Beside&) {
  LiveBank* bank = loaded.bank_of_load(its.bank, its.load);
  LiveClip* clip = bank == nullptr ? nullptr : find(*bank, its.clip, its.number);
  if (clip != nullptr && clip->idle()) dropped.push_back(bank->clips.drop(*clip));
  return Outcome::done;
}

/// Reads what was in memory when a state was saved; what was on its way there then is so again.
std::string Control::restore_clips(LiveBank& bank) {
  make_ready_to_read(*bank.data, bank.clips);
  for (std::uint32_t number = 0; number < bank.clips.size(); ++number) {
    LiveClip& clip = bank.clips[number];
    const bool wanted = std::exchange(clip.wanted, false);
    if (std::string problem = clip.held ? read_now(bank, clip) : std::string(); !problem.empty()) return problem;
    if (!wanted) continue;
    if (options.offline)
      just_read.push_back({bank.serial, number, {}, {}});
    else
      want(bank, clip);
  }
  return {};
}

/// What the reading thread has read since.
void Control::take_read_clips() {
  if (!options.offline) reader.clips.take(just_read);
  for (ReadClip& its : just_read) {
    LiveBank* bank = loaded.bank_numbered(its.bank);
    if (bank == nullptr || bank->unloaded) {
      dropped.push_back(std::move(its.data));
      continue;
    }
    ask(asked::ClipRead{bank->data->name, bank->data->clips[its.number].name, its.number, bank->serial, its.problem},
        {.read = its.data.there() ? &its.data : nullptr});
  }
  just_read.clear();
}

/// Those that fell idle first make room where clips take more memory than they may.
void Control::keep_to_budget() {
  if (options.clip_memory == 0 || replaying) return;
  while (clip_bytes() > options.clip_memory) {
    LiveBank* its = nullptr;
    for (LiveBank& bank : loaded.banks()) {
      const LiveClip* oldest = bank.clips.oldest_idle();
      if (oldest != nullptr && !bank.unloaded && (its == nullptr || oldest->idle_since < its->clips.oldest_idle()->idle_since)) its = &bank;
    }
    if (its == nullptr) {
      constexpr double mebi = 1 << 20;
      if (!std::exchange(told_of_budget, true))
        tell({.code = Reason::Code::over_budget,
              .number = static_cast<double>(clip_bytes()) / mebi,
              .other = static_cast<double>(options.clip_memory) / mebi});
      return;
    }
    const std::uint32_t number = its->clips.number_of(*its->clips.oldest_idle());
    ask(asked::ClipDropped{its->data->name, its->data->clips[number].name, number, its->serial});
  }
  told_of_budget = false;
}

std::size_t Control::clip_bytes() {
  std::size_t bytes = 0;
  for (LiveBank& bank : loaded.banks()) bytes += bank.clips.bytes();
  return bytes;
}

}  // namespace tidewater
