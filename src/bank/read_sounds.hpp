#pragma once
#include <span>
#include <string>
#include <vector>

#include "bank/bank_data.hpp"
#include "bank/record_checks.hpp"

namespace tidewater {

/// Makes of a table's records the sounds that a manager plays, with all that their records lead to.
class SoundRecords : RecordChecks {
 public:
  /// In a bank of so many clips and groups.
  SoundRecords(BankTable& table, std::span<const char> texts, std::size_t clips, std::size_t groups)
      : RecordChecks(table, texts), clips_(clips), groups_(groups) {}

  bool read(BankData& to);

 private:
  bool sections();
  bool names(const bank_file::Part& part, std::vector<HashedText>& to);
  bool choice(const bank_file::Choice& from, BankChoice& to);
  bool layer(const bank_file::Layer& from, BankLayer& to);
  bool world(const bank_file::Sound& from, WorldDesign& to);
  bool gauges(std::vector<BankGauge>& to);
  bool follows(const bank_file::Part& part, std::vector<FollowDesign>& to);
  bool bent(Bends bends, double value);
  bool curve(const bank_file::Curve& from, CurveDesign& to);
  bool sound(const bank_file::Sound& from, BankSound& to);

  std::size_t clips_, groups_;
  Led<bank_file::Value> values_;
  Led<bank_file::Use> uses_;
  Led<bank_file::Choice> choices_;
  Led<bank_file::Layer> layers_;
  Led<bank_file::FalloffPoint> falloffs_;
  Led<bank_file::Follow> follows_;
  Led<bank_file::Curve> curves_;
  Led<bank_file::CurvePoint> curve_points_;
};

}  // namespace tidewater
