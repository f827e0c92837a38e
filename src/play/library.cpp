#include "play/library.hpp"

#include <algorithm>
#include <utility>

namespace tidewater {
namespace {

bool preloads(const BankClip& clip, Preload preload) {
  return preload == Preload::all || clip.place.size == 0 || (preload == Preload::by_book && clip.preload);
}

}  // namespace

Preload Library::preload_of(const BankData& data, Preload wanted) const {
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

Read<LiveClips> Library::read_clips(const BankData& data, Preload wanted) const {
  ClipsOnTheirWay clips(data, wanted, preload_of(data, wanted));
  while (clips.read_one()) {
  }
  if (!clips.problem().empty()) return {std::nullopt, clips.problem()};
  return {clips.take(), {}};
}

void Library::start_reading() {
  if (!options.offline && options.reading_thread) reader.run_on_its_own();
}

std::string Library::read_now(LiveBank& bank, LiveClip& clip) {
  if (clip.data.there()) return {};
  Read<ClipData> got = SampleReader(*bank.data).read(bank.data->clips[bank.clips.number_of(clip)]);
  if (got.value) bank.clips.give(clip, *std::move(got.value));
  return got.problem;
}

void Library::want(LiveBank& bank, LiveClip& clip) {
  if (clip.there || std::exchange(clip.wanted, true)) return;
  reader.clips.want(bank.data, bank.serial, bank.clips.number_of(clip));
  reader.wake();
}

bool Library::wait_for_clips(LiveBank& bank, Layers& layers, std::string& problem) {
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

std::string Library::restore_clips(LiveBank& bank) {
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

void Library::fetch_clip(LiveBank& bank, LiveClip& clip) {
  if (options.offline)
    read_now(bank, clip);  // if it cannot be read, that is told when it is to be heard
  else
    want(bank, clip);
}

bool Library::has_clip(LiveBank& bank, LiveClip& clip) {
  if (clip.there && clip.data.there()) return true;
  if (!options.offline) want(bank, clip);
  if (!options.offline || (replaying && !clip.there)) return false;
  if (read_now(bank, clip).empty() && !clip.there) bank.clips.came(clip, 0);
  return true;  // if it cannot be read, that is told when it is to be heard
}

std::size_t Library::clip_bytes() {
  std::size_t bytes = 0;
  for (LiveBank& bank : loaded.banks()) bytes += bank.clips.bytes();
  return bytes;
}

std::pair<LiveBank*, LiveClip*> Library::oldest_idle() {
  std::pair<LiveBank*, LiveClip*> oldest{nullptr, nullptr};
  for (LiveBank& bank : loaded.banks()) {
    LiveClip* its = bank.unloaded ? nullptr : bank.clips.oldest_idle();
    if (its != nullptr && (oldest.second == nullptr || its->idle_since < oldest.second->idle_since)) oldest = {&bank, its};
  }
  return oldest;
}

}  // namespace tidewater
