#include <fmt/format.h>

#include <algorithm>
#include <utility>
#include <vector>

#include "bank/agree.hpp"
#include "bank/bases.hpp"
#include "play/control.hpp"

namespace tidewater {

std::string Control::make_ready_for(const BankData& data, LiveClips& clips, bool in_place) {
  if (const LiveBank* there = in_place ? nullptr : library.loaded.bank_called(data.name); there != nullptr) {
    if (there->data->language != data.language)
      return fmt::format("the bank '{}' is loaded already, in language '{}'; reload it in '{}', and what plays goes on", data.name,
                         there->data->language, data.language);
    return fmt::format("a bank named '{}' is loaded already; unload it first, or reload it", data.name);
  }
  if (!data.bases.empty())  // they may have gone while its clips were read
    if (const auto bases = bases_of(data, library.loaded.all_data()); !bases.value) return bases.problem;
  for (const LiveBank* bank : library.loaded.catalogue()->banks()) {
    const bool compared = !bank->data->by_itself && !data.by_itself && bank->data->root() != data.root();
    if (std::string problem = compared ? disagreement(*bank->data, data) : std::string(); !problem.empty()) return problem;
  }
  if (const auto plan = groups.names().plan(names_of(data.groups)); plan.size > most_groups)
    return fmt::format("with the bank '{}' there would be {} groups; {} is the most", data.name, plan.size, most_groups);
  if (!groups.moods().has_room_for(data.moods))
    return fmt::format("with the bank '{}' there would be more than {} moods", data.name, most_moods);
  if (const auto plan = driving.gauges.names().plan(names_of(data.gauges)); plan.size > most_gauges)
    return fmt::format("with the bank '{}' there would be {} gauges; {} is the most", data.name, plan.size, most_gauges);
  if (const auto plan = scopes.names().plan(names_of(data.scopes)); plan.size > most_scopes)
    return fmt::format("with the bank '{}' there would be {} scopes; {} is the most", data.name, plan.size - 1, most_scopes - 1);
  make_ready_to_read(data, clips);
  return {};
}

Read<Bank> Control::with_its_bases(const Bank& bank) {
  if (data_of(bank).bases.empty()) return {bank, {}};
  std::vector<std::shared_ptr<const BankData>> there;
  {
    const std::lock_guard lock(mutex);
    there = library.loaded.all_data();
  }
  return with_bases(bank, there);
}

Outcome Control::carry_out(const asked::Load&, const Extras& extras) {
  take_in(library.loaded.load(*extras.loading), *extras.loading);
  return Outcome::done;
}

Outcome Control::carry_out(const asked::Reload&, const Extras& extras) {
  take_in(library.loaded.replace(*extras.loading), *extras.loading);
  return Outcome::done;
}

void Control::number_names(Loading& loading) const {
  LiveBank& bank = loading.prepared.front();
  loading.groups = groups.names().plan(names_of(bank.data->groups)).numbers;
  loading.scopes = scopes.names().plan(names_of(bank.data->scopes)).numbers;
  for (LiveSound& sound : bank.sounds) {
    sound.group = loading.groups[sound.design->group];
    sound.scope = static_cast<ScopeNumber>(loading.scopes[sound.design->scope]);
  }
}

/// The loaded bank's names become known, and its sounds can be heard.
void Control::take_in(LiveBank& bank, const Loading& loading) {
  groups.add(bank.data->groups, loading.groups, noting.link.now().lands);
  groups.add_moods(bank.data->moods, {noting.link.now().lands, 0});
  starter.send_groups();
  for (const Groups::LeftOut& its : groups.left_out())
    noting.tell({.code = Reason::Code::duck_left_out, .name = groups.names().name(its.group), .more = groups.names().name(its.key)});
  for (const std::uint32_t scope : loading.scopes) agenda.know_scope(static_cast<ScopeNumber>(scope));
  scopes.add(bank.data->scopes, loading.scopes, scope_moment());
  follow_scopes({});
  for (const BankGauge& gauge : bank.data->gauges)
    if (const std::uint32_t number = driving.gauges.add(gauge.name, gauge); number != Numbers::none)
      listening.emitters.know_gauge(number, Name(gauge.name), gauge);
  listening.join(bank);
}

Outcome Control::carry_out(const asked::Unload& unload, const Extras& extras) {
  LiveBank* bank = extras.loading->leaving;
  if (bank == nullptr) return noting.decide(Outcome::bank_not_loaded, {}, {.code = Reason::Code::no_such_bank, .name = unload.bank});
  library.loaded.unload(*extras.loading);
  voices.unload(*bank, unload.what_plays);
  for (LiveBank& version : library.loaded.banks())
    if (version.replaced && !version.unloaded && version.data->name == bank->data->name) voices.unload(version, unload.what_plays);
  return Outcome::done;
}

}  // namespace tidewater
