#pragma once
#include <map>
#include <span>
#include <string>
#include <tuple>
#include <vector>

#include "bank/bank_data.hpp"
#include "bank/fields.hpp"
#include "bank/record_checks.hpp"

namespace tidewater {

/// Makes designs of a table's records: groups, gauges, sounds and events, with all records that they lead to, as bank/fields.hpp
/// describes them.
class DesignReader : RecordChecks {
 public:
  /// For a bank with so many clips.
  DesignReader(BankTable& table, std::span<const char> texts, std::size_t clips) : RecordChecks(table, texts) {
    counts_[bank_file::Kind::clips] = clips;
  }

  bool read(BankData& to);

 private:
  template <class Design>
  bool all(std::vector<Design>& to, const char* what);
  template <class Design>
  bool one(const bank_file::RecordOf<Design>& from, Design& to);
  template <class Design>
  bool open_list();
  template <class From, class To, class How>
  bool value(std::string_view key, const From& from, To& to, const How& how);
  template <class Design>
  bool list(std::string_view key, const bank_file::Part& from, std::vector<Design>& to, const bank_file::List& how);

  // Checks of several fields together.
  template <class Record, class Design>
  bool sensible(const Record&, const Design&) {
    return true;
  }
  bool sensible(const bank_file::Gauge&, const BankGauge& gauge);
  bool sensible(const bank_file::Sound&, const BankSound& sound);
  bool sensible(const bank_file::Layer&, const BankLayer& layer);
  bool sensible(const bank_file::Choice&, const BankChoice& choice);
  bool sensible(const bank_file::Curve&, const CurveDesign& curve);
  bool sensible(const bank_file::Track&, const BankTrack& track);
  bool sensible(const bank_file::Response& record, BankResponse& response);
  bool newer(std::string_view key);

  std::map<bank_file::Kind, std::size_t> counts_;  ///< of records that others have the numbers of, as far as they are read
  std::tuple<Led<bank_file::Value>, Led<bank_file::Use>, Led<bank_file::Choice>, Led<bank_file::Layer>, Led<bank_file::FalloffPoint>,
             Led<bank_file::Follow>, Led<bank_file::Curve>, Led<bank_file::CurvePoint>, Led<bank_file::Response>, Led<bank_file::Condition>,
             Led<bank_file::Track>, Led<bank_file::TrackPart>, Led<bank_file::Change>, Led<bank_file::Duck>, Led<bank_file::MoodGroup>>
      lists_;
};

}  // namespace tidewater
