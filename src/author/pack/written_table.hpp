#pragma once
#include <cstdint>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "bank/bank_data.hpp"
#include "bank/bank_records.hpp"

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
  template <class Take>
  void each(Take take, const std::vector<bank_file::Hash>& hashes) {
    using bank_file::Kind;
    take(Kind::texts, texts_), take(Kind::about, about_), take(Kind::groups, groups_), take(Kind::clips, clips_), take(Kind::uses, uses_);
    take(Kind::values, values_), take(Kind::choices, choices_), take(Kind::layers, layers_), take(Kind::sounds, sounds_);
    take(Kind::responses, responses_), take(Kind::events, events_), take(Kind::hashes, hashes);
    if (!bases_.empty()) take(Kind::bases, bases_);
    if (!falloffs_.empty()) take(Kind::falloffs, falloffs_);
    if (!gauges_.empty()) take(Kind::gauges, gauges_);
    if (follows_.empty()) return;
    take(Kind::follows, follows_), take(Kind::curves, curves_), take(Kind::curve_points, curve_points_);
  }

  /// Each text once.
  bank_file::Text text(std::string_view its) {
    const auto [known, is_new] = places_.try_emplace(std::string(its), static_cast<std::uint32_t>(texts_.size()));
    if (is_new) texts_.insert(texts_.end(), its.begin(), its.end());
    return {known->second, static_cast<std::uint32_t>(its.size())};
  }
  template <class Record>
  static bank_file::Part begin(const std::vector<Record>& records, std::size_t count) {
    return {static_cast<std::uint32_t>(records.size()), static_cast<std::uint32_t>(count)};
  }
  bank_file::Part values(const std::vector<HashedText>& its) {
    const bank_file::Part part = begin(values_, its.size());
    for (const HashedText& value : its) values_.push_back({text(value.text)});
    return part;
  }

  bank_file::Sound record_of(const BankSound& sound);
  bank_file::Layer record_of(const BankLayer& layer);
  bank_file::Part follows(const std::vector<FollowDesign>& its);
  void add_world(const WorldDesign& world, bank_file::Sound& to);

  std::unordered_map<std::string, std::uint32_t> places_;
  std::vector<char> texts_;
  std::vector<bank_file::About> about_;
  std::vector<bank_file::Base> bases_;
  std::vector<bank_file::Group> groups_;
  std::vector<bank_file::Clip> clips_;
  std::vector<bank_file::Use> uses_;
  std::vector<bank_file::Value> values_;
  std::vector<bank_file::Choice> choices_;
  std::vector<bank_file::Layer> layers_;
  std::vector<bank_file::Sound> sounds_;
  std::vector<bank_file::FalloffPoint> falloffs_;
  std::vector<bank_file::Gauge> gauges_;
  std::vector<bank_file::Follow> follows_;
  std::vector<bank_file::Curve> curves_;
  std::vector<bank_file::CurvePoint> curve_points_;
  std::vector<bank_file::Response> responses_;
  std::vector<bank_file::Event> events_;
};

}  // namespace tidewater
