/// Clips of loaded banks: who waits for one, and who makes room.

#include <algorithm>
#include <utility>

#include "play/control.hpp"

namespace tidewater {

void Control::make_ready_to_read(const BankData& data, LiveClips& clips) {
  const bool streams = std::any_of(data.clips.begin(), data.clips.end(), [](const BankClip& clip) { return clip.streamed != nullptr; });
  if (streams) voices.streams().prepare();
  const std::size_t away = clips.away();
  library.reader.clips.prepare(away);
  if (streams || away > 0) library.start_reading();
}

Outcome Control::carry_out(const asked::Prefetch& prefetch, const Extras&) {
  const Catalogue::Event* known = library.loaded.catalogue()->find(prefetch.event);
  if (known == nullptr) return starter.decide_unknown(prefetch.event, {});
  library.loaded.catalogue()->each_raised(*known, [&](const Catalogue::Event& event) {
    LiveBank& bank = *event.bank;
    each_started_sound(*event.design, [&](std::uint32_t sound) {
      for (const BankLayer& layer : bank.data->sounds[sound].layers)
        for (const BankChoice& choice : layer.choices)
          for (const BankClipUse& use : choice.clips) library.fetch_clip(bank, bank.clips[use.clip]);
    });
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

Outcome Control::carry_out(const asked::ClipRead& its, const Extras& extras) {
  LiveBank* bank = library.loaded.bank_of_load(its.bank, its.load);
  LiveClip* clip = bank == nullptr ? nullptr : find(*bank, its.clip, its.number);
  if (clip == nullptr) return Outcome::done;
  clip->wanted = false;
  if (clip->there) return Outcome::done;
  std::string why(its.why);
  if (why.empty() && extras.read != nullptr)
    bank->clips.give(*clip, std::move(*extras.read));
  else if (why.empty())
    why = library.read_now(*bank, *clip);
  if (why.empty())
    voices.clip_came(*bank, *clip);
  else
    voices.clip_failed(*bank, *clip);
  catch_up();  // starts that waited for it are due
  return Outcome::done;
}

Outcome Control::carry_out(const asked::ClipDropped& its, const Extras&) {
  LiveBank* bank = library.loaded.bank_of_load(its.bank, its.load);
  LiveClip* clip = bank == nullptr ? nullptr : find(*bank, its.clip, its.number);
  if (clip != nullptr && clip->idle()) library.dropped.push_back(bank->clips.drop(*clip));
  return Outcome::done;
}

/// What the reading thread has read since.
void Control::take_read_clips() {
  if (!options.offline) library.reader.clips.take(library.just_read);
  for (ReadClip& its : library.just_read) {
    LiveBank* bank = library.loaded.bank_numbered(its.bank);
    if (bank == nullptr || bank->unloaded) {
      library.dropped.push_back(std::move(its.data));
      continue;
    }
    ask(asked::ClipRead{bank->data->name, bank->data->clips[its.number].name, its.number, bank->serial, its.problem},
        {.read = its.data.there() ? &its.data : nullptr});
  }
  library.just_read.clear();
}

/// Those that fell idle first make room where clips take more memory than they may.
void Control::keep_to_budget() {
  if (options.clip_memory == 0 || library.replaying) return;
  while (library.clip_bytes() > options.clip_memory) {
    const auto [bank, clip] = library.oldest_idle();
    if (bank == nullptr) {
      constexpr double mebi = 1 << 20;
      if (!std::exchange(library.told_of_budget, true))
        noting.tell({.code = Reason::Code::over_budget,
                     .number = static_cast<double>(library.clip_bytes()) / mebi,
                     .other = static_cast<double>(options.clip_memory) / mebi});
      return;
    }
    const std::uint32_t number = bank->clips.number_of(*clip);
    ask(asked::ClipDropped{bank->data->name, bank->data->clips[number].name, number, bank->serial});
  }
  library.told_of_budget = false;
}

}  // namespace tidewater
