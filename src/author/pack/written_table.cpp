#include "author/pack/written_table.hpp"

#include <algorithm>
#include <cstring>
#include <functional>
#include <memory>
#include <type_traits>

#include "author/pack/stream_bytes.hpp"
#include "bank/stored_values.hpp"
#include "dsp/resample.hpp"

namespace tidewater {

namespace file = bank_file;
using bank_file::rounded_up;

template <class Design>
file::RecordOf<Design> WrittenTable::record_of(const Design& design) {
  file::RecordOf<Design> record{};
  file::each_field(design, [&](std::string_view, auto member, auto place, const auto& how) {
    using How = std::remove_cvref_t<decltype(how)>;
    const auto& from = std::invoke(member, design);
    auto& to = record.*place;
    if constexpr (std::is_same_v<How, file::List>)
      to = list(from);
    else if constexpr (std::is_same_v<std::remove_cvref_t<decltype(from)>, HashedText>)
      to = text(from.text);
    else if constexpr (std::is_same_v<How, file::Words> || std::is_same_v<How, file::GaugeName>)
      to = text(from);
    else
      file::store(from, to);
    return true;
  });
  return record;
}

template <class Design>
file::Part WrittenTable::list(const std::vector<Design>& designs) {
  auto& its = records<file::RecordOf<Design>>();
  const file::Part part{static_cast<std::uint32_t>(its.size()), static_cast<std::uint32_t>(designs.size())};
  for (const Design& design : designs) its.push_back(record_of(design));
  return part;
}

WrittenTable::WrittenTable(const BankData& data) {
  file::About about;
  about.name = text(data.name);
  about.tool = text("tidewater " TIDEWATER_VERSION);
  about.target = text(data.target);
  about.language = text(data.language);
  about.reach = reach;
  about.content = data.content.value;
  about.priority = data.priority;
  about.rate = data.rate.value;
  about_.push_back(about);
  for (const BankBase& base : data.bases) bases_.push_back({text(base.name), base.content.value, base.replaces ? 1U : 0U, 0});
  list(data.groups);
  list(data.moods);
  list(data.gauges);
  if (data.scopes != BankData().scopes) list(data.scopes);
  list(data.traits);
  list(data.sounds);
  list(data.events);
  for (const BankClip& clip : data.clips) {
    file::Clip record;
    record.name = text(clip.name);
    record.samples = clip.shorts.empty() ? file::Samples::floats : file::Samples::sixteen_bits;
    record.channels = static_cast<std::uint32_t>(clip.channels);
    record.payload_size = clip.bytes();
    record.frames = clip.frames;
    record.loop_from = clip.loop_from;
    record.level = clip.level.value;
    record.on_use = clip.preload ? 0 : 1;
    record.base = clip.base;
    record.in_base = clip.in_base;
    record.fold = static_cast<double>(clip.fold);
    if (const StreamedFile* file = clip.streamed.get()) {
      record.stream_size = stream_bytes(*clip.streamed)->size();
      record.stream_frames = file->file_frames;
      record.loop_from = file->loop_from;
      record.stream_rate = file->rate.value;
      record.head = file->head;
    }
    clips_.push_back(record);
  }
}

std::vector<std::byte> WrittenTable::bytes(std::uint64_t at, const std::vector<file::Hash>& hashes, std::uint32_t& sections) {
  std::uint64_t size = 0;
  sections = 0;
  const auto measure = [&](file::Kind, const auto& records) {
    ++sections;
    size += sizeof(file::Section) + (records.size() * sizeof(records[0]) + 7) / 8 * 8;
  };
  each(measure, hashes);
  std::uint64_t place = rounded_up(at + size);
  for (file::Clip& clip : clips_) {
    if (clip.payload_size == 0) continue;  // another bank has it
    clip.payload_at = place;
    place += rounded_up(clip.payload_size);
  }
  for (file::Clip& clip : clips_) {
    if (clip.stream_size == 0) continue;
    clip.stream_at = place;
    place += rounded_up(clip.stream_size);
  }
  std::vector<std::byte> all(static_cast<std::size_t>(rounded_up(at + size) - at));
  std::size_t section = 0, next = sections * sizeof(file::Section);
  each(
      [&](file::Kind kind, const auto& records) {
        const file::Section its{kind, sizeof(records[0]), next, records.size()};
        std::memcpy(all.data() + section, &its, sizeof its);
        section += sizeof its;
        if (!records.empty()) std::memcpy(all.data() + next, records.data(), records.size() * sizeof(records[0]));
        next += (records.size() * sizeof(records[0]) + 7) / 8 * 8;
      },
      hashes);
  return all;
}

}  // namespace tidewater
