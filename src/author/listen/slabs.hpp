#pragma once
/// Hands pieces of a rendering to a second thread, so that measuring takes no time of the rendering.

#include <algorithm>
#include <cstdint>
#include <future>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace tidewater {

/// Gathers pieces of samples with what is known of them, about a second at a time. `Piece` has `first` and `count`, which are filled in.
/// `measure(piece, left, right)` is called for each, in order, on another thread.
template <class Piece, class Measure>
class Slabs {
 public:
  explicit Slabs(Measure measure) : measure_(std::move(measure)) {}
  ~Slabs() {
    if (running_.valid()) running_.wait();
  }

  void add(Piece piece, std::span<const float> left, std::span<const float> right) {
    piece.first = now_.left.size(), piece.count = left.size();
    now_.left.insert(now_.left.end(), left.begin(), left.end());
    now_.right.insert(now_.right.end(), right.begin(), right.end());
    now_.pieces.push_back(std::move(piece));
    if (now_.left.size() >= enough) hand_over();
  }
  /// Waits until all is measured. Throws what `measure` threw.
  void finish() {
    hand_over();
    if (running_.valid()) running_.get();
  }

 private:
  static constexpr std::size_t enough = 1 << 19;  ///< frames of all pieces
  struct Slab {
    std::vector<float> left, right;
    std::vector<Piece> pieces;
  };
  void hand_over() {
    if (running_.valid()) running_.get();
    std::swap(now_, then_);
    now_.left.clear(), now_.right.clear(), now_.pieces.clear();
    running_ = std::async(std::launch::async, [this] {
      for (const Piece& its : then_.pieces)
        measure_(its, std::span<const float>(then_.left).subspan(its.first, its.count),
                 std::span<const float>(then_.right).subspan(its.first, its.count));
    });
  }

  Measure measure_;
  Slab now_, then_;
  std::future<void> running_;
};

}  // namespace tidewater
