#pragma once
#include <cstdint>
#include <string>
#include <string_view>
#include <tuple>
#include <unordered_map>
#include <vector>

#include "bank/bank_data.hpp"
#include "bank/bank_records.hpp"
#include "bank/fields.hpp"

namespace tidewater {

/// Collects the records of a bank, and hands them out as a table.
class WrittenTable {
 public:
  explicit WrittenTable(const BankData& data);

  /// Bytes of all payloads in memory, and of what lies between them; and of those that stream.
  std::uint64_t payload_size() const {
    std::uint64_t size = 0;
    for (const bank_file::Clip& clip : clips_) size += bank_file::rounded_up(clip.payload_size);
    return size;
  }
  std::uint64_t streams_size() const {
    std::uint64_t size = 0;
    for (const bank_file::Clip& clip : clips_) size += bank_file::rounded_up(clip.stream_size);
    return size;
  }

  /// The table as bytes, for payloads that begin at a multiple of the alignment behind it and have these hashes.
  std::vector<std::byte> bytes(std::uint64_t at, const std::vector<bank_file::Hash>& hashes, std::uint32_t& sections);

 private:
  template <class Record>
  std::vector<Record>& records() {
    return std::get<std::vector<Record>>(records_);
  }
  /// Calls `take(kind, records)` for each section, in the file's order.
  template <class Take>
  void each(Take take, const std::vector<bank_file::Hash>& hashes) {
    using bank_file::Kind;
    const auto always = [&]<class... Design>(bank_file::Of<Design>...) {
      (take(bank_file::StoredAs<Design>::kind, records<bank_file::RecordOf<Design>>()), ...);
    };
    const auto if_any = [&]<class... Design>(bank_file::Of<Design>...) {
      const auto one = [&](Kind kind, const auto& its) {
        if (!its.empty()) take(kind, its);
      };
      (one(bank_file::StoredAs<Design>::kind, records<bank_file::RecordOf<Design>>()), ...);
    };
    using bank_file::Of;
    take(Kind::texts, texts_), take(Kind::about, about_);
    always(Of<BankGroup>{});
    take(Kind::clips, clips_);
    always(Of<BankClipUse>{}, Of<HashedText>{}, Of<BankChoice>{}, Of<BankLayer>{}, Of<BankSound>{}, Of<BankResponse>{}, Of<BankEvent>{});
    take(Kind::hashes, hashes);
    if (!bases_.empty()) take(Kind::bases, bases_);
    if_any(Of<FalloffPoint>{}, Of<BankGauge>{}, Of<FollowDesign>{}, Of<CurveDesign>{}, Of<CurvePoint>{}, Of<BankScope>{},
           Of<BankCondition>{}, Of<BankTrait>{}, Of<BankTrack>{}, Of<PartDesign>{}, Of<ChangeDesign>{}, Of<DuckDesign>{}, Of<BankMood>{},
           Of<MoodGroupDesign>{});
  }

  /// Each text once.
  bank_file::Text text(std::string_view its) {
    const auto [known, is_new] = places_.try_emplace(std::string(its), static_cast<std::uint32_t>(texts_.size()));
    if (is_new) texts_.insert(texts_.end(), its.begin(), its.end());
    return {known->second, static_cast<std::uint32_t>(its.size())};
  }
  /// The records of some designs, one after the other.
  template <class Design>
  bank_file::Part list(const std::vector<Design>& designs);
  template <class Design>
  bank_file::RecordOf<Design> record_of(const Design& design);

  std::unordered_map<std::string, std::uint32_t> places_;
  std::vector<char> texts_;
  std::vector<bank_file::About> about_;
  std::vector<bank_file::Base> bases_;
  std::vector<bank_file::Clip> clips_;
  std::tuple<std::vector<bank_file::Group>, std::vector<bank_file::Use>, std::vector<bank_file::Value>, std::vector<bank_file::Choice>,
             std::vector<bank_file::Layer>, std::vector<bank_file::Sound>, std::vector<bank_file::Response>, std::vector<bank_file::Event>,
             std::vector<bank_file::FalloffPoint>, std::vector<bank_file::Gauge>, std::vector<bank_file::Follow>,
             std::vector<bank_file::Curve>, std::vector<bank_file::CurvePoint>, std::vector<bank_file::Scope>,
             std::vector<bank_file::Condition>, std::vector<bank_file::Trait>, std::vector<bank_file::Track>,
             std::vector<bank_file::TrackPart>, std::vector<bank_file::Change>, std::vector<bank_file::Duck>, std::vector<bank_file::Mood>,
             std::vector<bank_file::MoodGroup>>
      records_;  ///< of the designs that bank/fields.hpp describes
};

/// A bank's header and table, for payloads with these hashes.
std::string beginning_of(WrittenTable& table, const std::vector<bank_file::Hash>& hashes);

}  // namespace tidewater
