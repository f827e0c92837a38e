#pragma once
/// What covers speech: the extended Speech Intelligibility Index, second by second.

#include <array>
#include <cstdint>
#include <map>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "author/listen/octaves.hpp"
#include "tidewater/author/balance.hpp"
#include "tidewater/units.hpp"

namespace tidewater {

class SpeechMeter {
 public:
  explicit SpeechMeter(Hertz rate);

  /// Adds samples of the present second at a frame of the session. Several additions to one place add up.
  void add_speech(std::int64_t from, std::span<const float> left, std::span<const float> right, double gain);
  /// Of everything, speech included.
  void add_all(std::int64_t from, std::span<const float> left, std::span<const float> right, double gain);
  /// Of one sound, speech not included.
  void add_sound(std::string_view name, std::int64_t from, std::span<const float> left, std::span<const float> right, double gain);
  /// Measures the session's last second, and begins the next session.
  void end_session();

  /// Fills in the part of a balance that is about speech.
  void results(Balance& to) const;

 private:
  static constexpr std::size_t band_count = 18;
  using Bands = std::array<double, band_count>;
  struct Frame {
    float power = 0, index = 0;
  };
  struct Second {
    std::size_t session = 0;
    std::int64_t number = 0;
    std::vector<Frame> frames;
    std::vector<std::string> by;
  };

  void go_to(std::int64_t from);
  void measure();
  std::vector<std::string> culprits(const Bands& lost, const Bands& rest);
  template <class Take>
  void each_window(const std::vector<float>& samples, Take take);

  Octaves octaves_;
  std::int64_t second_frames_;
  std::size_t session_ = 0;
  std::int64_t second_ = 0;
  std::vector<float> speech_, all_;
  std::map<std::string, std::vector<float>, std::less<>> sounds_;
  bool speaks_ = false;
  std::vector<Second> seconds_;  ///< those with speech
};

}  // namespace tidewater
