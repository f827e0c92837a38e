#pragma once
#include <string>
#include <string_view>
#include <unordered_map>

#include "bank/bank_data.hpp"

namespace tidewater {

/// Says where two banks have something of one name, and it is not the same: which of them plays would hang on the order in which they came.
/// Empty where they agree. What is not known of a bank is not compared.
std::string disagreement(const BankData& loaded, const BankData& comes);

/// What of a bank is not as it was in an older one.
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
