#include "play/save.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <string>

#include "bank/bases.hpp"
#include "base/state.hpp"
#include "play/control.hpp"
#include "play/options.hpp"

namespace tidewater {
namespace {

constexpr const char* is_damaged = "the saved state is damaged";

/// Changes with whatever a state consists of.
constexpr std::array<std::uint64_t, 7> made_of = {
    3, sizeof(LiveStart), sizeof(Voice), sizeof(Command), sizeof(LiveLayer), sizeof(LiveSound), sizeof(SoundMemory)};

std::uint64_t sum_of(std::span<const std::byte> bytes) { return hash_name({reinterpret_cast<const char*>(bytes.data()), bytes.size()}); }

/// A bank that a state is with.
struct Needed {
  std::string name;
  ContentHash content;

  template <class State>
  void state(State& s) {
    s.text(name);
    s(content);
  }
};

std::vector<Needed> banks_of(Control& control) {
  std::vector<Needed> banks;
  for (const LiveBank& bank : control.library.loaded.banks()) banks.push_back({bank.data->name, bank.data->content});
  return banks;
}

template <class State, class BankCalled>
void all_of(State& s, Control& control, BankCalled bank_called) {
  s(control.noting.totals, control.library.told_of_budget, control.noting.updates, control.noting.watch);
  control.noting.door.state(s);
  control.groups.state(s);
  control.scopes.state(s);
  if constexpr (State::reading)
    for (std::size_t scope = 0; scope < control.scopes.names().size(); ++scope) control.agenda.know_scope(static_cast<ScopeNumber>(scope));
  control.starter.music.state(s);
  control.driving.gauges.state(s);
  control.driving.cadences.state(s);
  s.list(control.driving.told), s.list(control.library.undeclared);
  control.library.loaded.state(s, control.options.seed, bank_called);
  if (!s.ok()) return;
  std::vector<LiveBank*> banks;
  for (LiveBank& bank : control.library.loaded.banks()) banks.push_back(&bank);
  if constexpr (State::reading)
    for (LiveBank* bank : banks) control.driving.follow(*bank);
  control.agenda.state(s);
  control.agenda.each([&](Agenda::Ticket, const Due& due) {
    if (due.kind == Due::Kind::music && due.number >= most_stands) s.damage();
  });
  if (!s.ok()) return;
  control.voices.state(s, [&](PlayedSound*& sound) {
    std::size_t bank = 0, at = 0;
    if constexpr (!State::reading) {
      const LiveSound* its = sound->loaded;
      const auto home = std::find(banks.begin(), banks.end(), sound->home);
      bank = static_cast<std::size_t>(home - banks.begin());
      at = static_cast<std::size_t>(its - (*home)->sounds.data());
    }
    s(bank, at);
    if (bank >= banks.size() || at >= banks[bank]->sounds.size()) return s.damage();
    sound = &banks[bank]->sounds[at];
  });
  if (!s.ok()) return;
  for (LiveBank* bank : banks)
    for (LiveSound& sound : bank->sounds) {
      s(sound.heard_kind);
      s(sound.group, sound.scope, sound.stopped, sound.asleep, sound.stops, sound.told, sound.told_count);
      if constexpr (State::reading)
        if (sound.heard_kind != 0) {
          if (sound.hearing == nullptr) return s.damage();
          control.listening.put(sound);
        }
      std::size_t version = 0, its = 0;  // of the bank that has the older one, from 1, and which of its sounds that is
      if constexpr (!State::reading)
        if (sound.older != nullptr) {
          const auto home = std::find(banks.begin(), banks.end(), sound.older->home);
          version = static_cast<std::size_t>(home - banks.begin()) + 1;
          its = static_cast<std::size_t>(sound.older->loaded - (*home)->sounds.data());
        }
      s(version, its);
      if (version > banks.size() || (version > 0 && its >= banks[version - 1]->sounds.size())) return s.damage();
      if constexpr (State::reading)
        if (version > 0) {
          sound.older = &banks[version - 1]->sounds[its];
          sound.older->newer = &sound;
        }
      control.voices.keep_latest(s, sound);
    }
  control.listening.state(s);
  control.driving.followers.state(s, [&](std::uint32_t start) {
    const PlayedSound* sound = control.voices.sound_of(start);
    return sound == nullptr ? nullptr : sound->loaded->following.get();
  });
  control.noting.link.state(s);
}

}  // namespace

std::vector<std::byte> save(Control& control) {
  control.noting.link.read_clock(control.noting.notebook);
  control.forget_over();  // of which nothing is known that is not kept here
  StateOut body;
  std::vector<Needed> needed = banks_of(control);
  body.each(needed, [&](Needed& bank) { bank.state(body); });
  all_of(body, control, [](const std::string&, ContentHash) { return std::shared_ptr<const BankData>(); });
  const std::vector<std::byte> bytes = body.take();
  StateOut whole;
  whole(made_of, deciding(control.options), sum_of(bytes));
  std::vector<std::byte> saved = whole.take();
  saved.insert(saved.end(), bytes.begin(), bytes.end());
  return saved;
}

std::string restore(Control& control, std::span<const std::byte> saved, std::span<const Bank> banks) {
  std::remove_const_t<decltype(made_of)> its_parts{};
  DecidingOptions its_options;
  std::uint64_t sum = 0;
  constexpr std::size_t head_size = sizeof its_parts + sizeof its_options + sizeof sum;
  if (saved.size() < head_size) return is_damaged;
  StateIn head(saved);
  head(its_parts);
  if (its_parts != made_of) return "the saved state is of another version of the library; it can be restored by that one alone";
  head(its_options, sum);
  if (const std::string differs = difference(its_options, deciding(control.options)); !differs.empty())
    return fmt::format("the state was saved by a manager with other options: {}; make this one with the same", differs);
  const auto bytes = saved.subspan(head_size);
  if (sum != sum_of(bytes)) return is_damaged;

  StateIn body(bytes);
  std::vector<Needed> needed;
  body.each(needed, [&](Needed& bank) { bank.state(body); });
  std::vector<std::shared_ptr<const BankData>> there, found;
  for (const Bank& its : banks) there.push_back(BankInside::of(its));
  for (const auto& [name, content] : needed) {
    const auto called = [its_name = name](const Bank& bank) { return bank.name() == its_name; };
    auto bank = std::find_if(banks.begin(), banks.end(), [&, its = content](const Bank& b) { return called(b) && b.content() == its; });
    if (bank == banks.end()) bank = std::find_if(banks.begin(), banks.end(), called);
    if (bank == banks.end()) return fmt::format("the state was saved with a bank '{}' that is not given", name);
    if (bank->content() != content) return fmt::format("the bank '{}' is not as it was when the state was saved", name);
    const Read<Bank> whole = with_bases(*bank, there);
    if (!whole.value) return whole.problem;
    found.push_back(BankInside::of(*whole.value));
  }
  all_of(body, control, [&](const std::string& name, ContentHash content) {
    const auto bank =
        std::find_if(found.begin(), found.end(), [&](const auto& its) { return its->name == name && its->content == content; });
    return bank == found.end() ? nullptr : *bank;
  });
  if (!body.ok() || !body.at_end()) return is_damaged;
  for (LiveBank& bank : control.library.loaded.banks()) {
    control.make_ready_to_read(*bank.data, bank.clips);
    if (std::string problem = control.library.restore_clips(bank); !problem.empty()) return problem;
  }
  control.noting.link.give_clips([&](std::uint32_t voice) { return control.voices.clip_on(voice); });
  control.noting.link.read_clock(control.noting.notebook);
  control.noting.tell({.code = Reason::Code::text, .name = "goes on from a saved state; this journal alone cannot be played again"});
  return {};
}

}  // namespace tidewater
