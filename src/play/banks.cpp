#include <fmt/format.h>

#include <algorithm>
#include <utility>
#include <vector>

#include "bank/agree.hpp"
#include "bank/bases.hpp"
#include "play/control.hpp"

namespace tidewater {

std::string Control::make_ready_for(const BankData& data, LiveClips& clips, bool in_place) {
  if (const LiveBank* there = in_place ? nullptr : loaded.bank_called(data.name); there != nullptr) {
    if (there->data->language != data.language)
      return fmt::format("the bank '{}' is loaded already, in language '{}'; reload it in '{}', and what plays goes on", data.name,
                         there->data->language, data.language);
    return fmt::format("a bank named '{}' is loaded already; unload it first, or reload it", data.name);
  }
  if (!data.bases.empty())  // they may have gone while its clips were read
    if (const auto bases = bases_of(data, loaded.all_data()); !bases.value) return bases.problem;
  for (const LiveBank* bank : loaded.catalogue()->banks()) {
    const bool compared = !bank->data->by_itself && !data.by_itself && bank->data->root() != data.root();
    if (std::string problem = compared ? disagreement(*bank->data, data) : std::string(); !problem.empty()) return problem;
  }
  if (const auto plan = groups.names().plan(names_of(data.groups)); plan.size > most_groups)
    return fmt::format("with the bank '{}' there would be {} groups; {} is the most", data.name, plan.size, most_groups);
  if (const auto plan = drive.gauges.names().plan(names_of(data.gauges)); plan.size > most_gauges)
    return fmt::format("with the bank '{}' there would be {} gauges; {} is the most", data.name, plan.size, most_gauges);
  make_ready_to_read(data, clips);
  return {};
}

Read<Bank> Control::with_its_bases(const Bank& bank) {
  if (data_of(bank).bases.empty()) return {bank, {}};
  std::vector<std::shared_ptr<const BankData>> there;
  {
    const std::lock_guard lock(mutex);
    there = loaded.all_data();
  }
  return with_bases(bank, there);
}

Outcome Control::carry_out(const asked::Load&, const Beside& beside) {
  take_in(loaded.load(*beside.loading), *beside.loading);
  return Outcome::done;
}

Outcome Control::carry_out(const asked::Reload&, const Beside& beside) {
  take_in(loaded.replace(*beside.loading), *beside.loading);
  return Outcome::done;
}

void Control::number_groups(Loading& loading) const {
  LiveBank& bank = loading.prepared.front();
  loading.groups = groups.names().plan(names_of(bank.data->groups)).numbers;
  for (LiveSound& sound : bank.sounds) sound.group = loading.groups[sound.design->group];
}

/// The loaded bank's names become known, and its sounds can be heard.
void Control::take_in(LiveBank& bank, const Loading& loading) {
  groups.add(bank.data->groups, loading.groups, link.now().lands);
  send_groups();
  know_gauges(*bank.data);
  join_world(bank);
}

Outcome Control::carry_out(const asked::Unload& unload, const Beside& beside) {
  LiveBank* bank = beside.loading->leaving;
  if (bank == nullptr) return decide(Outcome::bank_not_loaded, {}, {.code = Reason::Code::no_such_bank, .name = unload.bank});
  loaded.unload(*beside.loading);
  voices.unload(*bank, unload.what_plays);
  for (LiveBank& version : loaded.banks())
    if (version.replaced && !version.unloaded && version.data->name == bank->data->name) voices.unload(version, unload.what_plays);
  return Outcome::done;
}

}  // namespace tidewater
