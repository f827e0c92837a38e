/// Streams that are late, come back, or fail.

#include "voices/voices.hpp"

namespace tidewater {

void Voices::watch_streams(const std::function<void(PlaybackId, std::string_view)>& failed) {
  for (std::size_t i = streams_.playing().size(); i-- > 0;) {
    LiveLayer& layer = *streams_.playing()[i];
    if (layer.stream->failed && layer.stage != Stage::leaving) {
      failed(layer.start->id, layer.stream->trouble);
      continue;
    }
    tell_of_stream(layer);
  }
}

/// Notes that a stream became late, or recovered, since this was last called.
void Voices::tell_of_stream(LiveLayer& layer) {
  const StreamRing& ring = layer.stream->ring;
  const auto tell = [&](Reason::Code code, std::int64_t length, const char* how) {
    const Reason why{.code = code, .number = seconds({length}, options_.rate).value, .name = layer.clip->name};
    notebook_.add(link_.now().at, NoticeNote{notebook_.keep(why), layer.start->id, layer.start->sound->design, how});
  };
  if (const MixFrame since = ring.late_since(); since != layer.told.late) {
    layer.told.late = since;
    ++count_.late;
    tell(Reason::Code::stream_late, since.value, "late");
  }
  if (const MixFrame back = ring.back_at(); back != layer.told.back) {
    layer.told.back = back;
    tell(Reason::Code::stream_back, back - layer.told.late, "back");
  }
}

}  // namespace tidewater
