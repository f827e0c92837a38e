#pragma once
#include <string>
#include <string_view>
#include <unordered_map>

#include "bank/bank_data.hpp"
#include "base/ours.hpp"

namespace TIDEWATER_OURS tidewater {

/// Compares what two banks have of one name. If something differs, which of the two plays would depend on the order of the loads.
/// Returns what differs, with both values, or an empty text. Contents that are not known are not compared.
std::string disagreement(const BankData& loaded, const BankData& comes);

/// Finds which sounds and events of a bank differ from those of an older version.
class Differences {
 public:
  Differences(const BankData& before, const BankData& now);
  bool sound(const BankSound& sound) const;
  bool event(const BankEvent& event) const;

 private:
  const BankData& before_;
  const BankData& now_;
  std::unordered_map<std::string_view, const BankSound*> sounds_;
  std::unordered_map<std::string_view, const BankEvent*> events_;
};

}  // namespace tidewater
