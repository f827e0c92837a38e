#pragma once
#include <vector>

#include "bank/streamer.hpp"
#include "voices/live.hpp"

namespace tidewater {

/// The layers that play from disk.
class Streams {
 public:
  explicit Streams(std::size_t voices) { playing_.reserve(voices); }

  /// Before a bank that streams is loaded; may take long. One more than there are voices may be in the hands of the thread that reads.
  void prepare(bool offline) {
    streamer_.prepare(playing_.capacity() + 1);
    if (!offline) streamer_.run_on_its_own();
  }
  bool any() const { return !playing_.empty(); }
  /// Reads what is needed, on the calling thread.
  void fill() { streamer_.fill(); }

  /// From where the layer stands.
  StreamRing& open(LiveLayer& layer) {
    layer.stream = streamer_.open(layer.clip->streamed, layer.position.whole, layer.design->loop);
    layer.told_late = layer.told_back = StreamRing::never;
    playing_.push_back(&layer);
    return layer.stream->ring;
  }
  void close(LiveLayer& layer) {
    if (layer.stream == nullptr) return;
    streamer_.close(layer.stream);
    std::erase(playing_, &layer);
    layer.stream = nullptr;
  }
  const std::vector<LiveLayer*>& playing() const { return playing_; }

 private:
  Streamer streamer_;
  std::vector<LiveLayer*> playing_;
};

}  // namespace tidewater
