#pragma once
#include <vector>

#include "bank/reader.hpp"
#include "voices/live.hpp"

namespace tidewater {

/// The layers that play from disk.
class Streams {
 public:
  Streams(std::size_t voices, Reader& reader) : reader_(reader) { playing_.reserve(voices); }

  /// Makes room before a bank that streams is loaded; may take long. The reading thread may hold one stream more than there are voices.
  void prepare() { reader_.streams.prepare(playing_.capacity() + 1); }
  bool any() const { return !playing_.empty(); }
  /// Reads on the calling thread.
  void fill() { reader_.streams.fill(); }

  /// Opens a layer's stream at the layer's position.
  void open(LiveLayer& layer) {
    layer.stream = reader_.streams.open(layer.clip->streamed, layer.progress.position.whole, layer.design->loop);
    reader_.wake();
    layer.told.late = layer.told.back = StreamRing::never;
    playing_.push_back(&layer);
  }
  void close(LiveLayer& layer) {
    if (layer.stream == nullptr) return;
    reader_.streams.close(layer.stream);
    std::erase(playing_, &layer);
    layer.stream = nullptr;
  }
  /// See base/state.hpp. A restored stream continues where it was.
  template <class State, class Layer>
  void state(State& s, Layer layer) {
    s.each(playing_, [&](LiveLayer*& its) {
      layer(its);
      StreamRing::Marks marks;
      if constexpr (!State::reading) marks = its->stream->ring.marks();
      s(marks);
      if constexpr (State::reading) {
        if (its == nullptr || its->clip == nullptr || its->clip->streamed == nullptr) s.damage();
        if (!s.ok()) return;
        its->stream = reader_.streams.open(its->clip->streamed, marks.passed, its->design->loop);
        its->stream->ring.set_told(marks);
      }
    });
  }
  const std::vector<LiveLayer*>& playing() const { return playing_; }

 private:
  Reader& reader_;
  std::vector<LiveLayer*> playing_;
};

}  // namespace tidewater
