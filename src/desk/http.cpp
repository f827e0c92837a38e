#include "desk/http.hpp"

#include <fmt/format.h>
#include <httplib.h>
#include <sys/random.h>

#include <array>
#include <mutex>
#include <nlohmann/json.hpp>
#include <thread>
#include <utility>

#include "tidewater/error.hpp"

namespace tidewater::desk {
namespace {

constexpr std::size_t largest_body = 64U << 10U;
/// Each feed occupies a thread for as long as its page is open. The others serve all short requests.
constexpr int most_feeds = 3;
constexpr std::size_t threads = 7;

/// The part of the policy that browsers accept only in a header. The page has the rest.
constexpr std::string_view content_policy = "frame-ancestors 'none'; base-uri 'none'; form-action 'none'; ";

std::string_view between(std::string_view text, std::string_view before, char after) {
  const std::size_t at = text.find(before);
  if (at == std::string_view::npos) return {};
  text.remove_prefix(at + before.size());
  return text.substr(0, text.find(after));
}

std::string drawn_token() {
  std::array<unsigned char, 16> bytes{};
  if (getrandom(bytes.data(), bytes.size(), 0) != static_cast<ssize_t>(bytes.size()))
    throw Error("the system gives no random numbers for the desk's token");
  std::string token;
  for (const unsigned char byte : bytes) token += fmt::format("{:02x}", byte);
  return token;
}

/// Compares two texts in a time that does not depend on where they differ.
bool same_secret(std::string_view given, std::string_view wanted) {
  unsigned differs = given.size() != wanted.size() ? 1 : 0;
  for (std::size_t i = 0; i < wanted.size(); ++i)
    differs |=
        static_cast<unsigned>(static_cast<unsigned char>(i < given.size() ? given[i] : '\0') ^ static_cast<unsigned char>(wanted[i]));
  return differs == 0;
}

}  // namespace

Answer problem(std::string_view why) {
  return {422, nlohmann::json{{"problem", why}}.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace)};
}

struct Http::State {
  HttpOptions options;
  std::string token, policy{content_policy};
  httplib::Server server;
  int port = -1;
  Feed* fed = nullptr;
  std::atomic<int> feeds{0};
  std::mutex watching;
  int watchers = 0;
  std::atomic<bool> over{false};
  std::thread thread;

  /// The hosts by which a browser may have found this server.
  bool is_own_host(std::string_view host) const {
    const std::string end = fmt::format(":{}", port);
    return host == "127.0.0.1" + end || host == "localhost" + end || host == options.listen + end;
  }
  /// Returns 0, or the HTTP status with which a request is refused.
  int refusal(const httplib::Request& request) const {
    if (request.get_header_value_count("Host") != 1) return 400;
    if (!is_own_host(request.get_header_value("Host"))) return 421;
    const std::string origin = request.get_header_value("Origin"), site = request.get_header_value("Sec-Fetch-Site");
    constexpr std::string_view scheme = "http://";
    if (!origin.empty() && !(origin.starts_with(scheme) && is_own_host(std::string_view(origin).substr(scheme.size())))) return 403;
    if (!site.empty() && site != "same-origin" && site != "none") return 403;
    // The library does not hold a body without a length to the limit.
    if (request.has_header("Transfer-Encoding")) return 411;
    if (request.get_header_value_count("Content-Length") > 1) return 400;
    if (request.method != "GET" && request.method != "POST") return 405;
    if (request.path == "/") return request.method == "GET" ? 0 : 405;
    return same_secret(request.get_header_value("Authorization"), "Bearer " + token) ? 0 : 401;
  }
  static std::string_view reason(int status) {
    switch (status) {
      case 401: return "the token is missing or wrong: open the address that the game or `tidewater desk` has printed";
      case 403: return "only the desk's own page may ask";
      case 411: return "the body has no length";
      case 421: return "the desk is not known by this name";
      default: return "refused";
    }
  }
};

Http::Http(const HttpOptions& options) : state_(std::make_unique<State>()) {
  State& its = *state_;
  its.options = options;
  its.token = options.token.empty() ? drawn_token() : options.token;
  its.server.new_task_queue = [] { return new httplib::ThreadPool(threads); };
  its.server.set_payload_max_length(largest_body);
  its.server.set_read_timeout(2, 0);
  its.server.set_write_timeout(2, 0);
  its.server.set_keep_alive_max_count(1000);
  its.server.set_tcp_nodelay(true);
  // The library would share the port with another desk, and each would refuse half of the other's requests.
  its.server.set_socket_options([](socket_t socket) {
    const int on = 1;
    setsockopt(socket, SOL_SOCKET, SO_REUSEADDR, &on, sizeof on);
  });
  its.server.set_pre_routing_handler([&its](const httplib::Request& request, httplib::Response& response) {
    response.set_header("Content-Security-Policy", its.policy);
    response.set_header("X-Content-Type-Options", "nosniff");
    response.set_header("Referrer-Policy", "no-referrer");
    response.set_header("Cross-Origin-Resource-Policy", "same-origin");
    response.set_header("Cache-Control", "no-store");
    const int status = its.refusal(request);
    if (status == 0) return httplib::Server::HandlerResponse::Unhandled;
    response.status = status;
    response.set_header("Connection", "close");  // its body was not read, and must not be taken for a request
    response.set_content(std::string(State::reason(status)), "text/plain");
    return httplib::Server::HandlerResponse::Handled;
  });
  if (options.port != 0)
    its.port = its.server.bind_to_port(options.listen, options.port) ? options.port : -1;
  else
    its.port = its.server.bind_to_any_port(options.listen);
  if (its.port < 0)
    throw Error(options.port == 0 ? fmt::format("the desk cannot listen on {}: this machine has no such address", options.listen)
                                  : fmt::format("the desk cannot listen on {} port {}: the port is taken, or this machine has no such "
                                                "address; give another port, or 0 for any",
                                                options.listen, options.port));
}

Http::~Http() {
  if (state_->fed != nullptr) state_->fed->close();
  if (!state_->thread.joinable()) return;
  state_->server.stop();
  state_->thread.join();
}

namespace {

httplib::Server::Handler answering(Handler handler) {
  return [handler = std::move(handler)](const httplib::Request& request, httplib::Response& response) {
    Answer answer;
    try {
      answer = handler({request.body, [&](const char* name) { return request.get_param_value(name); }});
    } catch (const std::exception& error) {
      answer = problem(error.what());
    }
    response.status = answer.status;
    response.set_content(answer.body, answer.type);
  };
}

}  // namespace

void Http::get(const std::string& path, Handler handler) { state_->server.Get(path, answering(std::move(handler))); }

void Http::post(const std::string& path, Handler handler) { state_->server.Post(path, answering(std::move(handler))); }

void Http::page(std::string_view html) {
  state_->policy += between(html, "Content-Security-Policy\" content=\"", '"');
  state_->server.Get("/", [html](const httplib::Request&, httplib::Response& response) {
    response.set_content(html.data(), html.size(), "text/html; charset=utf-8");
  });
}

void Http::feed(const std::string& path, Feed& feed, std::function<void(bool)> watched) {
  state_->fed = &feed;
  state_->server.Get(path, [&its = *state_, &feed, watched = std::move(watched)](const httplib::Request&, httplib::Response& response) {
    if (++its.feeds > most_feeds) {
      --its.feeds;
      response.status = 503;
      response.set_content("three pages look on already: close one of them", "text/plain");
      return;
    }
    // The lock keeps the calls of `watched` in order when one page comes while another leaves.
    {
      const std::lock_guard lock(its.watching);
      if (its.watchers++ == 0) watched(true);
    }
    auto reader = std::make_shared<Feed::Reader>(feed);
    response.set_chunked_content_provider(
        "text/event-stream",
        [&feed, reader](std::size_t, httplib::DataSink& sink) {
          const std::string text = reader->next();
          return !feed.closed() && sink.is_writable() && sink.write(text.data(), text.size());
        },
        [&its, watched](bool) {
          --its.feeds;
          const std::lock_guard lock(its.watching);
          if (--its.watchers == 0) watched(false);
        });
  });
}

void Http::start() {
  state_->thread = std::thread([&its = *state_] {
    its.server.listen_after_bind();
    its.over = true;
  });
  // A server that does not run yet ignores `stop`, and would then run for ever.
  while (!state_->server.is_running() && !state_->over) std::this_thread::sleep_for(std::chrono::milliseconds(1));
}

std::string Http::address() const {
  const std::string& listen = state_->options.listen;
  return fmt::format("http://{}:{}/#{}", listen, state_->port, state_->token);
}
int Http::port() const { return state_->port; }
const std::string& Http::token() const { return state_->token; }

}  // namespace tidewater::desk
