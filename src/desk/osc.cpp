#include "desk/osc.hpp"

#include <arpa/inet.h>
#include <fmt/format.h>
#include <lo/lo.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <memory>
#include <optional>
#include <utility>

#include "tidewater/error.hpp"
#include "tidewater/units.hpp"

namespace tidewater::desk {
namespace {

constexpr std::string_view root = "/tidewater/";
constexpr std::string_view listen_address = "/tidewater/listen", problem_address = "/tidewater/problem";
constexpr std::size_t longest_address = 400;
constexpr double full_fader = 6;  // dB
constexpr int deepest_bundle = 8;

constexpr std::array<OscRow, 8> rows = {{
    {"/tidewater/group/NAME/gain", "f, or s with a unit", "-120 to 24 dB; silent from -120 down",
     "The level of a group in the book. Turned, and not kept until somebody keeps it"},
    {"/tidewater/group/NAME/mute", "T or F, or i", "on, off", "Mutes a group of the game, or opens it; not in the book"},
    {"/tidewater/fader/group/NAME", "f", "0 to 1; half sounds half as loud, 1 is +6 dB", "The same as the group's gain, for motor faders"},
    {"/tidewater/sound/NAME/gain", "f, or f f, or s with a unit", "-120 to 24 dB",
     "The level of a sound in the book; two numbers are the ends of its range"},
    {"/tidewater/gauge/NAME", "f", "as the book has it", "Sets a gauge for every sound"},
    {"/tidewater/event/NAME", "none; T; or a number: 0 does nothing", "", "Raises an event, such as from a pad"},
    {"/tidewater/listen", "none", "", "Asks for feedback to where this came from, for a minute; eight surfaces at most"},
    {"/tidewater/problem", "s", "", "Sent to a surface whose message was refused: what is wrong, and what to do"},
}};

/// Returns the value of any numeric type of OSC 1.1. Returns nothing for other types, and for infinity and NaN.
std::optional<double> number_of(char type, const lo_arg& value) {
  double number = 0;
  switch (type) {
    case LO_FLOAT: number = static_cast<double>(value.f); break;
    case LO_DOUBLE: number = value.d; break;
    case LO_INT32: number = value.i; break;
    case LO_INT64: number = static_cast<double>(value.h); break;
    case LO_TRUE:
    case LO_INFINITUM: number = 1; break;
    case LO_FALSE:
    case LO_NIL: number = 0; break;
    default: return std::nullopt;
  }
  if (!std::isfinite(number)) return std::nullopt;
  return number;
}

/// Parses an address into its kind and its name. Returns nothing for an unknown address.
std::optional<OscMessage> message_of(std::string_view address) {
  using What = OscMessage::What;
  struct Form {
    std::string_view before, behind;
    What what;
  };
  static constexpr std::array<Form, 6> forms = {{{"fader/group/", "", What::group_fader},
                                                 {"group/", "/gain", What::group_gain},
                                                 {"group/", "/mute", What::group_mute},
                                                 {"sound/", "/gain", What::sound_gain},
                                                 {"gauge/", "", What::gauge},
                                                 {"event/", "", What::event}}};
  if (!address.starts_with(root) || address.size() > longest_address) return std::nullopt;
  address.remove_prefix(root.size());
  for (const Form& form : forms) {
    if (!address.starts_with(form.before) || !address.ends_with(form.behind) || address.size() <= form.before.size() + form.behind.size())
      continue;
    const std::string_view name = address.substr(form.before.size(), address.size() - form.before.size() - form.behind.size());
    if (name.find_first_of("/*?[]{},# ") != std::string_view::npos) continue;  // patterns are refused, not expanded
    return OscMessage{form.what, decoded_name(name), {}, {}};
  }
  return std::nullopt;
}

/// Returns why the arguments do not fit the address, or an empty text.
std::string wrong_arguments(OscMessage& message) {
  using What = OscMessage::What;
  const std::size_t count = message.numbers.size();
  const bool may_be_text = message.what == What::group_gain || message.what == What::sound_gain;
  if (!message.text.empty()) return may_be_text && count == 0 ? std::string() : "takes numbers, not text";
  if (message.what == What::event) return count > 1 ? "takes one number at most" : std::string();
  if (count == 1 || (count == 2 && message.what == What::sound_gain)) return {};
  return message.what == What::sound_gain ? "takes one number, or the two ends of a range" : "takes one number";
}

std::uint64_t source_of(const sockaddr_in& address) {
  return static_cast<std::uint64_t>(ntohl(address.sin_addr.s_addr)) << 16U | ntohs(address.sin_port);
}
sockaddr_in address_of(std::uint64_t source) {
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_addr.s_addr = htonl(static_cast<std::uint32_t>(source >> 16U));
  address.sin_port = htons(static_cast<std::uint16_t>(source & 0xFFFFU));
  return address;
}

using Message = std::unique_ptr<void, decltype([](void* message) { lo_message_free(message); })>;

}  // namespace

std::span<const OscRow> osc_rows() { return rows; }

double fader_of(double decibels) {
  return std::min(1.0, loudness_fraction(Decibels{decibels <= -120 ? silence.value : decibels - full_fader}));
}

double decibels_of(double fader) {
  const Decibels level = from_loudness_fraction(std::clamp(fader, 0.0, 1.0));
  return level == silence ? -120 : std::max(-120.0, level.value + full_fader);
}

std::string encoded_name(std::string_view name) {
  std::string part;
  for (const char sign : name) {
    const auto byte = static_cast<unsigned char>(sign);
    if (byte <= 0x20 || byte >= 0x7F || std::strchr("#*,/?[]{}%", sign) != nullptr)
      part += fmt::format("%{:02X}", byte);
    else
      part += sign;
  }
  return part;
}

std::string decoded_name(std::string_view part) {
  std::string name;
  for (std::size_t i = 0; i < part.size(); ++i) {
    const auto digit = [&](std::size_t at) {
      const char sign = at < part.size() ? part[at] : 'x';
      return sign >= '0' && sign <= '9'   ? sign - '0'
             : sign >= 'A' && sign <= 'F' ? sign - 'A' + 10
             : sign >= 'a' && sign <= 'f' ? sign - 'a' + 10
                                          : -1;
    };
    if (part[i] == '%' && digit(i + 1) >= 0 && digit(i + 2) >= 0) {
      name += static_cast<char>(digit(i + 1) * 16 + digit(i + 2));
      i += 2;
    } else {
      name += part[i];
    }
  }
  return name;
}

Osc::Osc(const OscOptions& options, std::function<std::string(const OscMessage&)> carry,
         std::function<std::vector<std::pair<std::string, double>>()> levels)
    : options_(options), carry_(std::move(carry)), levels_(std::move(levels)) {
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_port = htons(static_cast<std::uint16_t>(options_.port));
  socket_ = socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0);
  if (inet_pton(AF_INET, options_.listen.c_str(), &address.sin_addr) != 1 || socket_ < 0 ||
      bind(socket_, reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0) {
    if (socket_ >= 0) close(socket_);
    throw Error(fmt::format("OSC cannot listen on {} port {}: the port is taken, or this machine has no such address; give another port",
                            options_.listen, options_.port));
  }
  socklen_t size = sizeof address;
  getsockname(socket_, reinterpret_cast<sockaddr*>(&address), &size);
  port_ = ntohs(address.sin_port);
  thread_ = std::thread([this] { run(); });
}

Osc::~Osc() {
  ends_ = true;
  thread_.join();
  close(socket_);
}

bool Osc::may_send(const sockaddr_in& from) const {
  if ((ntohl(from.sin_addr.s_addr) >> 24U) == 127) return true;
  std::array<char, INET_ADDRSTRLEN> text{};
  inet_ntop(AF_INET, &from.sin_addr, text.data(), text.size());
  return std::find(options_.from.begin(), options_.from.end(), text.data()) != options_.from.end();
}

void Osc::run() {
  constexpr int carry_out_every = 10;  // milliseconds
  std::array<char, 65536> packet;
  auto next = Clock::now();
  while (!ends_) {
    const auto wait = std::chrono::duration_cast<std::chrono::milliseconds>(next - Clock::now()).count();
    pollfd waits{socket_, POLLIN, 0};
    if (poll(&waits, 1, static_cast<int>(std::clamp<long>(wait, 0, carry_out_every))) > 0) {
      sockaddr_in from{};
      socklen_t size = sizeof from;
      const ssize_t count = recvfrom(socket_, packet.data(), packet.size(), MSG_DONTWAIT, reinterpret_cast<sockaddr*>(&from), &size);
      if (count > 0) {
        ++counts_.came;
        if (may_send(from))
          take_packet(std::span(packet).first(static_cast<std::size_t>(count)), source_of(from), 0);
        else
          ++counts_.dropped;
      }
    }
    if (Clock::now() < next) continue;
    next = Clock::now() + std::chrono::milliseconds(carry_out_every);
    carry_out();
    tell_surfaces();
  }
}

/// A message, or a bundle: "#bundle", a time tag, which counts as now, and elements with their sizes.
void Osc::take_packet(std::span<char> packet, Source from, int depth) {
  constexpr std::string_view bundle("#bundle\0", 8);
  if (packet.size() < 16 || std::string_view(packet.data(), bundle.size()) != bundle) return take_message(packet, from);
  if (depth >= deepest_bundle) {
    ++counts_.malformed;
    return;
  }
  for (packet = packet.subspan(16); packet.size() >= 4;) {
    std::uint32_t size = 0;
    std::memcpy(&size, packet.data(), sizeof size);
    size = ntohl(size);
    packet = packet.subspan(4);
    if (size == 0 || size % 4 != 0 || size > packet.size()) {
      ++counts_.malformed;
      return;
    }
    take_packet(packet.first(size), from, depth + 1);
    packet = packet.subspan(size);
  }
}

void Osc::take_message(std::span<char> bytes, Source from) {
  int result = 0;
  const char* const path = lo_get_path(bytes.data(), static_cast<ssize_t>(bytes.size()));
  const Message parsed(path == nullptr || path[0] != '/' ? nullptr : lo_message_deserialise(bytes.data(), bytes.size(), &result));
  if (parsed == nullptr) {
    ++counts_.malformed;
    return;
  }
  const std::string address = path;
  if (address == listen_address) {
    const auto now = Clock::now();
    std::erase_if(surfaces_, [&](const auto& its) { return its.second.until < now; });
    if (surfaces_.size() >= most_surfaces && !surfaces_.contains(from)) return send_problem(from, "eight surfaces listen already");
    surfaces_[from].until = now + lease;
    return;
  }
  std::optional<OscMessage> message = message_of(address);
  if (!message) {
    ++counts_.malformed;
    return send_problem(from, fmt::format("{}: there is no such address; docs/osc.md and /osc of the desk list them", address));
  }
  const std::string_view types = lo_message_get_types(parsed.get());
  lo_arg** const arguments = lo_message_get_argv(parsed.get());
  for (std::size_t i = 0; i < types.size(); ++i) {
    if (types[i] == LO_STRING || types[i] == LO_SYMBOL) {
      message->text = &arguments[i]->s;
    } else if (const auto number = number_of(types[i], *arguments[i])) {
      message->numbers.push_back(*number);
    } else {
      ++counts_.malformed;
      return send_problem(from, fmt::format("{}: argument {} is no number", address, i + 1));
    }
  }
  if (const std::string wrong = wrong_arguments(*message); !wrong.empty()) {
    ++counts_.malformed;
    return send_problem(from, fmt::format("{}: {}", address, wrong));
  }
  if (const auto known = waiting_.find(address); known != waiting_.end() && message->what != OscMessage::What::event) {
    ++counts_.merged;
    known->second = {*message, from};
    return;
  }
  const auto now = Clock::now();
  tokens_ = std::min(most_a_second, tokens_ + std::chrono::duration<double>(now - filled_).count() * most_a_second);
  filled_ = now;
  if (tokens_ < 1 || waiting_.size() >= most_waiting) {
    ++counts_.dropped;
    return;
  }
  tokens_ -= 1;
  // Each raise counts by itself.
  const std::string key = message->what == OscMessage::What::event ? fmt::format("{} {}", address, counts_.came.load()) : address;
  waiting_[key] = {std::move(*message), from};
}

void Osc::carry_out() {
  for (auto& [key, its] : std::exchange(waiting_, {})) {
    OscMessage& message = its.message;
    if (message.what == OscMessage::What::group_fader) {
      message.what = OscMessage::What::group_gain;
      message.numbers[0] = decibels_of(message.numbers[0]);
    }
    const std::string problem = carry_(message);
    if (!problem.empty()) {
      ++counts_.refused;
      send_problem(its.from, problem);
      continue;
    }
    ++counts_.carried_out;
    // The surface that it came from knows the level: its fader must not be moved under the hand.
    if (const auto surface = surfaces_.find(its.from);
        surface != surfaces_.end() && message.what == OscMessage::What::group_gain && !message.numbers.empty())
      surface->second.told[message.name] = message.numbers[0];
  }
}

void Osc::tell_surfaces() {
  if (surfaces_.empty()) return;
  const auto now = Clock::now();
  std::erase_if(surfaces_, [&](const auto& its) { return its.second.until < now; });
  constexpr double same = 0.05;  // dB
  for (const auto& [group, level] : levels_())
    for (auto& [source, surface] : surfaces_) {
      const auto known = surface.told.find(group);
      if (known != surface.told.end() && std::fabs(known->second - level) < same) continue;
      surface.told[group] = level;
      const std::string name = encoded_name(group);
      send(source, fmt::format("/tidewater/group/{}/gain", name), level);
      send(source, fmt::format("/tidewater/fader/group/{}", name), fader_of(level));
    }
}

void Osc::send(Source to, const std::string& address, const std::variant<double, std::string>& value) {
  const Message message(lo_message_new());
  if (const auto* number = std::get_if<double>(&value))
    lo_message_add_float(message.get(), static_cast<float>(*number));
  else
    lo_message_add_string(message.get(), std::get<std::string>(value).c_str());
  std::array<char, 1024> bytes;
  std::size_t size = lo_message_length(message.get(), address.c_str());
  if (size > bytes.size()) return;
  lo_message_serialise(message.get(), address.c_str(), bytes.data(), &size);
  const sockaddr_in where = address_of(to);
  sendto(socket_, bytes.data(), size, MSG_DONTWAIT, reinterpret_cast<const sockaddr*>(&where), sizeof where);
}

/// Sends at most twenty problems a second, so that a flood of bad messages gives no flood of answers.
void Osc::send_problem(Source to, const std::string& problem) {
  const auto now = Clock::now();
  if (now - problem_sent_ < std::chrono::milliseconds(50)) return;
  problem_sent_ = now;
  send(to, std::string(problem_address), problem.substr(0, 800));
}

}  // namespace tidewater::desk
