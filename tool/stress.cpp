#include "tidewater/stress.hpp"

#include <fmt/format.h>

#include <cstdio>

#include "commands.hpp"
#include "print.hpp"
#include "tidewater/picture/stress_chart.hpp"

namespace tidewater::tool {

int stress(const StressCall& call) {
  const StressOptions options{call.block, {call.rate}, call.fine ? Quality::fine : Quality::standard};
  const StressResult result = tidewater::stress(options, [](const std::string& kind, const StressPoint& point) {
    complain("\r{:<18} {:>6} voices  {:>8.3f} ms a block ", kind, point.voices, point.median.value * 1000);
    std::fflush(stderr);
  });
  complain("\r{:60}\r", "");

  const double deadline = result.deadline.value;
  say("Blocks of {} frames at {:.0f} Hz: {:.2f} ms each, on one core with {}.\n\n", call.block, call.rate, deadline * 1000,
      result.instructions);
  say("{:<18}  {:>12}  {:>12}  {:>10}  {:>31}\n", "voices", "held at 50 %", "held at 90 %", "one voice",
      "256 voices: median, 99 %, 99.9 %");
  for (const auto& curve : result.curves) {
    const StressPoint& last = curve.points.back();
    const auto part = [&](Seconds time) { return fmt::format("{:.1f} %", 100 * time.value / deadline); };
    say("{:<18}  {:>12}  {:>12}  {:>7.2f} ns  {:>14}, {:>7}, {:>7}\n", curve.kind, curve.voices_within(0.5, result.deadline),
        curve.voices_within(0.9, result.deadline), last.median.value / last.voices / call.block * 1e9, part(curve.at_256.median),
        part(curve.at_256.percentile_99), part(curve.at_256.percentile_999));
  }
  say("\nHeld: the median block stays within that part of its time. One voice: a frame of it, when there are many.\n"
      "Streamed: Ogg Vorbis, mono, reading and decoding included, which a thread of its own does in a game.\n");
  if (!call.picture.empty()) {
    draw_stress(result, call.picture, fmt::format("How many voices? Blocks of {} frames at {:.0f} Hz", call.block, call.rate));
    say("picture: {}\n", call.picture);
  }
  return fine;
}

}  // namespace tidewater::tool
