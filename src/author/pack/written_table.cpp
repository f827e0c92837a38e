#include "author/pack/written_table.hpp"

#include <algorithm>
#include <cstring>
#include <memory>

#include "author/pack/stream_bytes.hpp"
#include "dsp/resample.hpp"

namespace tidewater {

namespace file = bank_file;
using bank_file::rounded_up;

namespace {

template <class Unit>
file::Span span_of(const Range<Unit>& range) {
  return {range.low.value, range.high.value};
}

}  // namespace

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
  for (const BankGroup& group : data.groups)
    groups_.push_back(
        {text(group.name), group.parent, group.muted ? 1U : 0U, group.gain.value, group.low_pass.value, group.high_pass.value});
  for (const BankGauge& gauge : data.gauges)
    gauges_.push_back({text(gauge.name), gauge.from, gauge.to, gauge.initial, gauge.smoothing.value});
  for (const BankSound& sound : data.sounds) sounds_.push_back(record_of(sound));
  for (const BankEvent& event : data.events) {
    file::Event record{text(event.name), begin(responses_, event.responses.size())};
    for (const BankResponse& response : event.responses)
      responses_.push_back({static_cast<std::uint32_t>(response.kind), response.sound, response.delay.value, response.fade.value});
    events_.push_back(record);
  }
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

// Whoever leads to others has a place for all of them first, and they theirs after it: a reader finds them in order.

file::Sound WrittenTable::record_of(const BankSound& sound) {
  file::Sound record;
  record.name = text(sound.name);
  record.content = sound.content.value;
  record.group = sound.group;
  record.towards_middle = sound.towards_middle ? 1 : 0;
  for (std::size_t d = 0; d < draw_count; ++d) record.together |= (sound.together[d] ? 1U : 0U) << d;
  record.each_emitter = sound.each_emitter ? 1 : 0;
  record.retrigger = static_cast<std::uint32_t>(sound.retrigger);
  record.limit = sound.limit;
  record.when_full = static_cast<std::uint32_t>(sound.when_full);
  record.limit_each_emitter = sound.limit_each_emitter ? 1 : 0;
  record.rank = static_cast<std::uint32_t>(sound.rank);
  record.quality = !sound.quality ? 0 : *sound.quality == Quality::standard ? 1 : 2;
  record.gain = span_of(sound.gain);
  record.pitch = span_of(sound.pitch);
  record.pan = span_of(sound.pan);
  record.delay = span_of(sound.delay);
  record.low_pass = span_of(sound.low_pass);
  record.cadence = span_of(sound.cadence);
  record.high_pass = sound.high_pass.value;
  record.spacing = sound.spacing.value;
  record.fade_in = sound.fade_in.value;
  record.fade_out = sound.fade_out.value;
  add_world(sound.world, record);
  record.follows = follows(sound.follow);
  record.layers = begin(layers_, sound.layers.size());
  for (const BankLayer& layer : sound.layers) layers_.push_back(record_of(layer));
  return record;
}

void WrittenTable::add_world(const WorldDesign& world, file::Sound& to) {
  if (world.place == Where::screen) return;
  to.in_world = 1;
  to.falloff = static_cast<std::uint32_t>(world.falloff);
  to.when_gone = static_cast<std::uint32_t>(world.when_gone);
  to.points = begin(falloffs_, world.points.size());
  for (const FalloffPoint& point : world.points) falloffs_.push_back({point.at.value, point.level.value});
  to.full_within = world.full_within.value;
  to.silent_from = world.silent_from.value;
  to.radius = world.radius.value;
  to.rolloff = world.rolloff;
  to.doppler = world.doppler;
  to.air = world.air;
  to.cone_inner = world.cone.inner.value;
  to.cone_outer = world.cone.outer.value;
  to.cone_outside = world.cone.outside.value;
}

file::Part WrittenTable::follows(const std::vector<FollowDesign>& its) {
  const file::Part part = begin(follows_, its.size());
  for (const FollowDesign& design : its) {
    follows_.push_back({text(design.gauge), begin(curves_, design.curves.size()), static_cast<std::uint32_t>(design.between), 0});
    for (const CurveDesign& curve : design.curves) {
      curves_.push_back({static_cast<std::uint32_t>(curve.bends), 0, begin(curve_points_, curve.points.size())});
      for (const CurvePoint& point : curve.points) curve_points_.push_back({point.gauge, point.value});
    }
  }
  return part;
}

file::Layer WrittenTable::record_of(const BankLayer& layer) {
  file::Layer record;
  record.name = text(layer.name);
  record.by = values(layer.by);
  record.loop = layer.loop ? 1 : 0;
  record.pick = static_cast<std::uint32_t>(layer.pick);
  record.start_anywhere = layer.start_anywhere ? 1 : 0;
  record.chance = layer.chance;
  record.gain = span_of(layer.gain);
  record.pitch = span_of(layer.pitch);
  record.delay = span_of(layer.delay);
  record.start_at = span_of(layer.start_at);
  record.follows = follows(layer.follow);
  record.choices = begin(choices_, layer.choices.size());
  for (const BankChoice& choice : layer.choices) {
    file::Choice its{values(choice.values), begin(uses_, choice.clips.size()), choice.weighted ? 1U : 0U, choice.heavy, choice.again};
    for (const BankClipUse& use : choice.clips) uses_.push_back({use.clip, use.share, use.weight, use.trim.value});
    choices_.push_back(its);
  }
  return record;
}

}  // namespace tidewater
