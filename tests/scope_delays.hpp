#pragma once
/// Random delays in a tree of five scopes that pause, resume and change speed at random, compared frame by frame with the scopes' times. A
/// test and a benchmark use it.

#include <algorithm>
#include <array>
#include <cstddef>
#include <cstdint>
#include <utility>
#include <vector>

#include "base/random.hpp"
#include "scopes/scopes.hpp"
#include "terms/agenda.hpp"

namespace tidewater::testing {

struct ScopeDelays {
  std::size_t due = 0;           ///< delays that ended
  std::size_t wrong_frame = 0;   ///< of them, on another frame than the first at which their scope's time had come
  std::size_t out_of_order = 0;  ///< of them, after a delay with a later frame
  std::size_t missed = 0;        ///< delays that should have ended and did not
};

inline ScopeDelays random_scope_delays(int sessions) {
  constexpr std::int64_t length = 200'000, lead = 133, limiter_delay = 70;
  constexpr std::size_t scope_count = 5;
  ScopeDelays result;
  Random random(11);
  const auto pick = [&](std::int64_t low, std::int64_t high) { return low + random.below(static_cast<std::uint32_t>(high - low + 1)); };
  for (int session = 0; session < sessions; ++session) {
    Scopes scopes({48000});
    const std::vector<BankScope> tree = {{{}, "root", 0}, {{}, "a", 0}, {{}, "b", 1}, {{}, "c", 1}, {{}, "d", 0}};
    const std::vector<std::uint32_t> numbers = {0, 1, 2, 3, 4};
    scopes.add(tree, numbers, {});
    Agenda agenda(scopes.times());
    agenda.reserve(4000, 0);
    struct Waits {
      ScopeNumber scope;
      ScopeFrame time;
      bool ended = false;
    };
    std::vector<Waits> all;
    std::array<std::vector<std::int64_t>, scope_count> truth;  // the time of each scope, frame by frame
    std::array<std::pair<ScopeFrame, std::uint32_t>, scope_count> latest{};
    std::int64_t last = -1;
    for (std::int64_t clock = 0; clock < length;) {
      const std::int64_t lands = clock + pick(1, 1500);
      const ScopeMoment when{{clock}, {(lands + limiter_delay + 63) / 64 * 64}};
      for (std::int64_t n = pick(0, 3); n > 0; --n) {
        const auto scope = static_cast<ScopeNumber>(pick(0, scope_count - 1));
        switch (pick(0, 7)) {
          case 0: scopes.pause(scope, when); break;
          case 1: scopes.resume(scope, when); break;
          case 2: scopes.set_scale(scope, pick(0, 256) * unity_scale / 64, pick(0, 9600), when); break;
          default: {
            const ScopeFrame time = scopes.times().from(scope, MixFrame{lands + lead}) + pick(1, 30'000);
            agenda.add_layer(scope, time, static_cast<std::uint32_t>(all.size()));
            all.push_back({scope, time});
          }
        }
      }
      scopes.sent();
      for (std::size_t scope = 0; scope < scope_count; ++scope)
        for (std::int64_t frame = clock; frame < lands; ++frame)
          truth[scope].push_back(scopes.times().at(static_cast<ScopeNumber>(scope), MixFrame{frame}).value);
      clock = lands;
      for (;;) {
        const auto [ticket, frame] = agenda.due_by({clock - 1});
        if (ticket == Agenda::no_ticket) break;
        const std::uint32_t number = agenda[ticket].number;
        Waits& its = all[number];
        const auto& times = truth[its.scope];
        const auto first = std::lower_bound(times.begin(), times.end(), its.time.value) - times.begin();
        ++result.due;
        result.wrong_frame += frame.value != first ? 1 : 0;
        // Two delays of one scope that end on one frame keep the order of their scope's time.
        result.out_of_order += frame.value < last || std::pair(its.time, number) < latest[its.scope] ? 1 : 0;
        last = frame.value;
        latest[its.scope] = {its.time, number};
        its.ended = true;
        agenda.remove(ticket);
      }
      if (pick(0, 3) == 0) scopes.settle({clock});
    }
    for (const Waits& its : all)
      result.missed += !its.ended && truth[its.scope].back() >= its.time.value && !scopes.times().held(its.scope) ? 1 : 0;
  }
  return result;
}

}  // namespace tidewater::testing
