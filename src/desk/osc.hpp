#pragma once
/// A control surface over OSC 1.1 (opensoundcontrol.org), by UDP: docs/osc.md has the addresses.

#include <netinet/in.h>

#include <atomic>
#include <chrono>
#include <cstdint>
#include <functional>
#include <map>
#include <span>
#include <string>
#include <string_view>
#include <thread>
#include <variant>
#include <vector>

namespace tidewater::desk {

/// One kind of address. docs/osc.md and `/osc` of the server are made from these.
struct OscRow {
  std::string_view address;  ///< NAME stands for a name, percent-encoded where OSC forbids a sign
  std::string_view types;    ///< type tags that it takes; "or" between them
  std::string_view range;
  std::string_view meaning;
};
std::span<const OscRow> osc_rows();

/// One request of a surface.
struct OscMessage {
  enum class What { group_gain, group_mute, group_fader, sound_gain, gauge, event } what = What::event;
  std::string name;
  std::vector<double> numbers;  ///< in the book's units; a switch is 0 or 1
  std::string text;             ///< in place of numbers, with a unit
};

/// The level that a motor fader shows: half the way sounds half as loud, and full is +6 dB.
double fader_of(double decibels);
double decibels_of(double fader);

/// "gulls far" is "gulls%20far": OSC 1.0 forbids spaces and # * , / ? [ ] { } in the parts of an address.
std::string encoded_name(std::string_view name);
std::string decoded_name(std::string_view part);

struct OscOptions {
  std::string listen = "127.0.0.1";
  int port = 0;                   ///< 0 for any that is free
  std::vector<std::string> from;  ///< other hosts whose messages are taken, as numeric addresses; this machine's always are
};

/// One socket and one thread, which carries messages out every ten milliseconds. Of one address only the newest message counts, and of all
/// addresses 500 a second are carried out; the others are dropped.
class Osc {
 public:
  static constexpr double most_a_second = 500;
  static constexpr std::size_t most_waiting = 256, most_surfaces = 8;
  static constexpr std::chrono::seconds lease{60};

  /// `carry` carries a message out, and returns a problem or nothing. `levels` returns the present level of each group in decibels. Both
  /// are called on the thread of the socket. Throws Error if the port is taken.
  Osc(const OscOptions& options, std::function<std::string(const OscMessage&)> carry,
      std::function<std::vector<std::pair<std::string, double>>()> levels);
  ~Osc();
  Osc(const Osc&) = delete;
  Osc& operator=(const Osc&) = delete;

  int port() const { return port_; }

  struct Counts {
    std::atomic<std::uint64_t> came{0}, carried_out{0}, merged{0}, dropped{0}, malformed{0}, refused{0};
  };
  const Counts& counts() const { return counts_; }

 private:
  using Clock = std::chrono::steady_clock;
  /// Where a message came from: address and port in one number.
  using Source = std::uint64_t;
  struct Waiting {
    OscMessage message;
    Source from = 0;
  };
  struct Surface {
    Clock::time_point until;
    std::map<std::string, double> told;  ///< the levels that it knows, by group
  };

  void run();
  void take_packet(std::span<char> packet, Source from, int depth);
  void take_message(std::span<char> message, Source from);
  void carry_out();
  void tell_surfaces();
  void send(Source to, const std::string& address, const std::variant<double, std::string>& value);
  void send_problem(Source to, const std::string& problem);
  bool may_send(const sockaddr_in& from) const;

  OscOptions options_;
  std::function<std::string(const OscMessage&)> carry_;
  std::function<std::vector<std::pair<std::string, double>>()> levels_;
  int socket_ = -1, port_ = 0;
  std::map<std::string, Waiting> waiting_;  ///< by address
  std::map<Source, Surface> surfaces_;
  double tokens_ = 100;
  Clock::time_point filled_ = Clock::now(), problem_sent_{};
  Counts counts_;
  std::atomic<bool> ends_{false};
  std::thread thread_;
};

}  // namespace tidewater::desk
