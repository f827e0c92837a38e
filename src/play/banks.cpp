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
  LiveBank& bank = loaded.load(*beside.loading);
  add_groups(bank);
  know_gauges(*bank.data);
  join_world(bank);
  return Outcome::done;
}

Outcome Control::carry_out(const asked::Reload&, const Beside& beside) {
  LiveBank& bank = loaded.replace(*beside.loading);
  add_groups(bank);
  know_gauges(*bank.data);
  join_world(bank);
  return Outcome::done;
}

void Control::add_groups(LiveBank& bank) {
  const BankData& data = *bank.data;
  std::vector<std::uint32_t> numbers;
  const auto first_to_set_master = [&](std::uint32_t number) { return number == 0 && !master_is_set; };
  for (const auto& group : data.groups) {
    const auto known = groups.names().size();
    const auto number = groups.add(group, numbers.empty() ? 0 : numbers[group.parent]);
    numbers.push_back(number);
    if (number == known) link.send(DefineGroup{number, groups[number].parent, static_cast<float>(groups[number].own_amplitude())});
    const bool its_own = number == known || first_to_set_master(number);
    for (const auto& [kind, frequency] :
         {std::pair{StateFilter::Kind::low_pass, group.low_pass}, {StateFilter::Kind::high_pass, group.high_pass}})
      if (its_own && frequency > Hertz{0}) link.send(SetFilter{number, true, kind, static_cast<float>(frequency.value), 0});
    if (first_to_set_master(number)) {
      groups.set_gain(0, group.gain, link.now().lands);
      groups.set_mute(0, group.muted, link.now().lands);
      send_group(0, {});
    }
  }
  master_is_set = true;
  for (LiveSound& sound : bank.sounds) sound.group = numbers[sound.design->group];
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
