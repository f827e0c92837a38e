// The desk's server, by its own door: requests of a page, of strangers and of rude visitors.

#include <arpa/inet.h>
#include <httplib.h>
#include <lo/lo.h>
#include <sys/socket.h>
#include <unistd.h>

#include <atomic>
#include <catch2/catch.hpp>
#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>
#include <set>
#include <thread>

#include "base/random.hpp"
#include "desk/excerpt.hpp"
#include "desk/feed.hpp"
#include "desk/osc.hpp"
#include "stage.hpp"
#include "tidewater/author/edit_book.hpp"
#include "tidewater/desk/desk.hpp"
#include "tidewater/error.hpp"
#include "tidewater/replay.hpp"

using namespace tidewater;
using namespace tidewater::testing;
using Catch::Matchers::Contains;
using nlohmann::json;

namespace {

const std::string book = R"(
[gauges.wind]
[groups.music]
[groups.effects]
[sounds.hum]
group = "music"
clips = ["hum.wav"]
loop = true
gain = "-9 dB"  # as loud as the sea allows
[sounds.far-hum]
like = "hum"
pitch = "-2 st"
[sounds.bell]
group = "effects"
clips = ["tone.wav"]
spacing = "1 s"
[events.hum]
start = "hum"
[events.bell]
start = "bell"
)";

/// A game with a desk, and the page's side of the talk.
struct AtDesk {
  explicit AtDesk(DeskOptions options = {}, const std::string& its = book) : stage(its) {
    stage.folder.write("book.toml", book_head + its);
    options.book = stage.folder.path("book.toml");
    desk = std::make_unique<Desk>(*stage.manager, options);
    const std::string address = desk->address();
    const std::size_t hash = address.find('#');
    token = address.substr(hash + 1);
    port = std::stoi(address.substr(address.rfind(':') + 1));
  }

  httplib::Headers key() const { return {{"Authorization", "Bearer " + token}}; }
  struct Answered {
    int status = 0;
    std::string body;
    json value() const { return json::parse(body, nullptr, false); }
  };
  Answered get(const std::string& path) const {
    httplib::Client client("127.0.0.1", port);
    const auto result = client.Get(path.c_str(), key());
    return result ? Answered{result->status, result->body} : Answered{};
  }
  Answered post(const std::string& path, const json& body) const { return post_text(path, body.dump()); }
  Answered post_text(const std::string& path, const std::string& body) const {
    httplib::Client client("127.0.0.1", port);
    const auto result = client.Post(path.c_str(), key(), body, "application/json");
    return result ? Answered{result->status, result->body} : Answered{};
  }
  Answered turn(const std::string& sound, const std::string& key_name, double low, double high, const std::string& unit = "dB") const {
    return post("/turn", {{"path", {"sounds", sound, key_name}}, {"low", low}, {"high", high}, {"unit", unit}});
  }
  std::string text() const { return stage.folder.read("book.toml"); }

  /// Sends these bytes and returns the status, or 0 if the connection was closed without one.
  int raw(const std::string& bytes) const {
    const int its = socket(AF_INET, SOCK_STREAM, 0);
    sockaddr_in to{};
    to.sin_family = AF_INET;
    to.sin_port = htons(static_cast<std::uint16_t>(port));
    to.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    const timeval longest{10, 0};
    setsockopt(its, SOL_SOCKET, SO_RCVTIMEO, &longest, sizeof longest);
    REQUIRE(connect(its, reinterpret_cast<const sockaddr*>(&to), sizeof to) == 0);
    for (std::size_t sent = 0; sent < bytes.size();) {
      const ssize_t count = send(its, bytes.data() + sent, bytes.size() - sent, MSG_NOSIGNAL);
      if (count <= 0) break;
      sent += static_cast<std::size_t>(count);
    }
    char answer[64] = {};
    const ssize_t count = recv(its, answer, sizeof answer - 1, 0);
    close(its);
    return count > 12 && std::strncmp(answer, "HTTP/1.1 ", 9) == 0 ? std::atoi(answer + 9) : 0;
  }
  std::string host() const { return "Host: 127.0.0.1:" + std::to_string(port) + "\r\n"; }
  std::string bearer() const { return "Authorization: Bearer " + token + "\r\n"; }

  Stage stage;
  std::unique_ptr<Desk> desk;
  std::string token;
  int port = 0;
};

/// A control surface: one UDP socket, as a fader box has it.
class Surface {
 public:
  explicit Surface(int port) {
    to_.sin_family = AF_INET;
    to_.sin_port = htons(static_cast<std::uint16_t>(port));
    to_.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    const timeval longest{5, 0};
    setsockopt(socket_, SOL_SOCKET, SO_RCVTIMEO, &longest, sizeof longest);
  }
  ~Surface() { close(socket_); }
  Surface(const Surface&) = delete;
  Surface& operator=(const Surface&) = delete;

  void send(const std::string& bytes) const {
    sendto(socket_, bytes.data(), bytes.size(), 0, reinterpret_cast<const sockaddr*>(&to_), sizeof to_);
  }
  template <class Fill>
  static std::string message(const std::string& address, Fill fill) {
    lo_message its = lo_message_new();
    fill(its);
    std::string bytes(lo_message_length(its, address.c_str()), '\0');
    std::size_t size = bytes.size();
    lo_message_serialise(its, address.c_str(), bytes.data(), &size);
    lo_message_free(its);
    return bytes;
  }
  void send(const std::string& address, std::initializer_list<double> numbers) const {
    send(message(address, [&](lo_message its) {
      for (const double number : numbers) lo_message_add_float(its, static_cast<float>(number));
    }));
  }
  void send_text(const std::string& address, const char* text) const {
    send(message(address, [&](lo_message its) { lo_message_add_string(its, text); }));
  }
  struct Heard {
    std::string address, text;
    double number = 0;
  };
  /// The next message; an empty address if none comes within five seconds.
  Heard next() const {
    std::string bytes(4096, '\0');
    const ssize_t count = recv(socket_, bytes.data(), bytes.size(), 0);
    if (count <= 0) return {};
    int result = 0;
    lo_message its = lo_message_deserialise(bytes.data(), static_cast<std::size_t>(count), &result);
    REQUIRE(its != nullptr);
    Heard heard{bytes.c_str(), {}, 0};
    lo_arg** const values = lo_message_get_argv(its);
    if (lo_message_get_types(its)[0] == 'f') heard.number = static_cast<double>(values[0]->f);
    if (lo_message_get_types(its)[0] == 's') heard.text = &values[0]->s;
    lo_message_free(its);
    return heard;
  }
  /// The next message of this address.
  Heard next(const std::string& address) const {
    Heard heard = next();
    for (int i = 0; i < 100 && !heard.address.empty() && heard.address != address; ++i) heard = next();
    return heard;
  }

 private:
  int socket_ = socket(AF_INET, SOCK_DGRAM, 0);
  sockaddr_in to_{};
};

/// Waits until it holds, for at most ten seconds.
template <class Is>
bool comes(Is is) {
  for (int i = 0; i < 1000; ++i) {
    if (is()) return true;
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  }
  return false;
}

/// One request as bytes.
std::string request(const std::string& line, const std::string& headers, const std::string& body = {}) {
  return line + " HTTP/1.1\r\n" + headers + "Content-Length: " + std::to_string(body.size()) + "\r\nConnection: close\r\n\r\n" + body;
}

}  // namespace

TEST_CASE("who does not come from the desk's own page is refused, and the book stays as it is") {
  const AtDesk its;
  const std::string before = its.text(), turn = R"({"path":["sounds","hum","gain"],"low":0,"high":0,"unit":"dB"})",
                    port = std::to_string(its.port);
  const std::string post = "POST /turn";
  CHECK(its.raw(request("GET /", its.host())) == 200);
  CHECK(its.raw(request(post, its.host() + its.bearer(), "{}")) == 422);
  CHECK(its.raw(request(post, its.host(), turn)) == 401);
  CHECK(its.raw(request(post, its.host() + "Authorization: Bearer 00\r\n", turn)) == 401);
  CHECK(its.raw(request(post, its.host() + "Authorization: Bearer " + std::string(its.token.size(), '0') + "\r\n", turn)) == 401);
  CHECK(its.raw(request(post, its.host() + "Authorization: Bearer " + its.token + "0\r\n", turn)) == 401);
  CHECK(its.raw(request(post + "?token=" + its.token, its.host(), turn)) == 401);
  CHECK(its.raw(request("GET /", "Host: elsewhere.example:" + port + "\r\n")) == 421);
  CHECK(its.raw(request(post, "Host: 127.0.0.1:1\r\n" + its.bearer(), turn)) == 421);
  CHECK(its.raw(request(post, its.host() + "Host: elsewhere.example\r\n" + its.bearer(), turn)) == 400);
  CHECK(its.raw(request(post, its.bearer(), turn)) == 400);
  for (const char* origin : {"http://elsewhere.example", "null", "https://127.0.0.1", "http://127.0.0.1:1", "file://"})
    CHECK(its.raw(request(post, its.host() + its.bearer() + "Origin: " + origin + "\r\n", turn)) == 403);
  CHECK(its.raw(request(post, its.host() + its.bearer() + "Origin: http://127.0.0.1:" + port + "\r\n", "{}")) == 422);
  for (const char* site : {"cross-site", "same-site"})
    CHECK(its.raw(request("GET /", its.host() + "Sec-Fetch-Site: " + site + "\r\n")) == 403);
  CHECK(its.raw(request("OPTIONS /turn", its.host() + "Origin: http://elsewhere.example\r\nAccess-Control-Request-Method: POST\r\n")) ==
        403);
  for (const char* method : {"OPTIONS", "PUT", "DELETE", "TRACE", "PATCH"})
    CHECK(its.raw(request(std::string(method) + " /turn", its.host() + its.bearer())) >= 400);
  CHECK(its.text() == before);
  CHECK(its.get("/book").value()["edits"].empty());
}

TEST_CASE("a body without a length, one of a gigabyte, long paths and long headers are refused") {
  const AtDesk its;
  const std::string head = its.host() + its.bearer();
  CHECK(its.post_text("/turn", std::string(70000, ' ')).status == 413);
  CHECK(its.raw("POST /turn HTTP/1.1\r\n" + head + "Content-Length: 1073741824\r\n\r\n" + std::string(100000, 'x')) == 413);
  CHECK(its.raw("POST /turn HTTP/1.1\r\n" + head + "Transfer-Encoding: chunked\r\n\r\n186A0\r\n" + std::string(100000, 'x') +
                "\r\n0\r\n\r\n") == 411);
  CHECK(its.raw("POST /turn HTTP/1.1\r\n" + head + "Content-Length: 2\r\nContent-Length: 4\r\n\r\n{}") == 400);
  CHECK(its.raw(request("GET /" + std::string(9000, 'a'), head)) == 414);
  CHECK(its.raw(request("GET /", head + "X: " + std::string(9000, 'a') + "\r\n")) == 400);
  CHECK(its.raw(std::string(200, '\0') + "\r\n\r\n") != 200);
  for (const char* path :
       {"/clip?name=../../etc/passwd", "/clip.wav?name=/etc/passwd", "/clip?name=..%2f..%2fbook.toml", "/sound?name=%00%ff"})
    CHECK(its.get(path).status == 422);
  CHECK(its.get("/book.toml").status == 404);
  CHECK(its.get("/book").status == 200);
}

TEST_CASE("the page is sent with a policy that lets nothing but its own script run") {
  const AtDesk its;
  httplib::Client client("127.0.0.1", its.port);
  const auto page = client.Get("/");
  REQUIRE(page);
  const std::string policy = page->get_header_value("Content-Security-Policy");
  CHECK_THAT(policy, Contains("default-src 'none'") && Contains("script-src 'sha256-") && Contains("frame-ancestors 'none'"));
  CHECK_THAT(policy, !Contains("unsafe"));
  CHECK(page->get_header_value("X-Content-Type-Options") == "nosniff");
  CHECK(page->body.find(its.token) == std::string::npos);
  CHECK(page->body.find("http://") == page->body.find("http://www.w3.org"));  // nothing from outside: only names of namespaces
  CHECK(its.desk->address() != AtDesk().desk->address());
}

TEST_CASE("a desk whose port is taken, or whose book is gone, says so") {
  const AtDesk its;
  CHECK_THROWS_WITH(AtDesk({.book = {}, .port = its.port}), Contains("the port is taken"));
  CHECK_THROWS_WITH(AtDesk({.book = {}, .listen = "192.0.2.1"}), Contains("192.0.2.1"));
  SoundManager manager({.offline = true});
  CHECK_THROWS_AS(Desk(manager, {.book = "nowhere/book.toml"}), Error);
}

TEST_CASE("a turn from the page is heard in a loop that plays, and the book's file stays as it is") {
  AtDesk its;
  const std::string before = its.text();
  its.stage.raise("hum");
  const double loud = its.stage.render(Seconds{0.3}).part(0.1, 0.1).peak();
  const auto answer = its.turn("hum", "gain", -29, -29);
  CHECK(answer.status == 200);
  CHECK(answer.value()["also"] == json{"far-hum"});
  const double quiet = its.stage.render(Seconds{0.3}).part(0.1, 0.1).peak();
  CHECK(decibels(quiet / loud).value == Approx(-20).margin(0.1));
  CHECK(its.text() == before);
  const json edits = its.get("/book").value()["edits"];
  REQUIRE(edits.size() == 1);
  CHECK(edits[0]["was"] == "\"-9 dB\"");
  CHECK(edits[0]["now"] == "\"-29 dB\"");

  CHECK(its.post("/undo", json::object()).status == 200);
  CHECK(decibels(its.stage.render(Seconds{0.3}).part(0.1, 0.1).peak() / loud).value == Approx(0).margin(0.1));
  CHECK(its.get("/book").value()["edits"].empty());
  CHECK(its.post("/undo", json::object()).status == 422);
}

TEST_CASE("what is kept is the smallest edit, and what is given back is the book's value again") {
  AtDesk its;
  its.turn("hum", "gain", -12, -6);
  its.turn("bell", "gain", -3, -3);
  CHECK(its.post("/keep", {{"names", {"sounds.hum.gain"}}}).value()["kept"] == 1);
  std::string expected = book_head + book;
  expected.replace(expected.find("\"-9 dB\""), 7, "\"-12 dB .. -6 dB\"");
  CHECK(its.text() == expected);
  CHECK(its.get("/book").value()["edits"].size() == 1);
  CHECK(its.post("/give-back", json::object()).status == 200);
  CHECK(its.get("/book").value()["edits"].empty());
  CHECK(its.text() == expected);
}

TEST_CASE("a drag is undone as one, and two drags as two") {
  AtDesk its;
  const auto drag = [&](int number, double to) {
    for (int i = 1; i <= 10; ++i)
      its.post("/turn", {{"path", {"sounds", "hum", "gain"}},
                         {"low", -9 + (to + 9) * i / 10},
                         {"high", -9 + (to + 9) * i / 10},
                         {"unit", "dB"},
                         {"drag", number}});
  };
  const auto now = [&] {
    const json edits = its.get("/book").value()["edits"];
    return edits.empty() ? std::string("as kept") : edits[0]["now"].get<std::string>();
  };
  drag(7, -20);
  drag(8, -30);
  CHECK(now() == "\"-30 dB\"");
  its.post("/undo", json::object());
  CHECK(now() == "\"-20 dB\"");
  its.post("/undo", json::object());
  CHECK(now() == "as kept");
}

TEST_CASE("a value that the book cannot have is refused with place and reason") {
  const AtDesk its;
  const auto refused = [&](const json& body) {
    const auto answer = its.post("/turn", body);
    CHECK(answer.status == 422);
    return answer.value().value("problem", "");
  };
  const json path = {"sounds", "hum", "gain"};
  CHECK_THAT(refused({{"path", path}, {"text", "loud"}}), Contains("book.toml") && Contains("loud"));
  CHECK_THAT(refused({{"path", path}, {"low", 0}, {"high", 0}, {"unit", "ells"}}), Contains("ells"));
  CHECK_THAT(refused({{"path", path}, {"low", 1e300}, {"high", 1e300}, {"unit", "dB"}}), Contains("book.toml"));
  CHECK_THAT(refused({{"path", path}}), Contains("a value is"));
  CHECK_THAT(refused({{"path", json::array()}, {"number", 1}}), Contains("path"));
  CHECK_THAT(refused({{"path", "sounds.hum.gain"}, {"number", 1}}), Contains("path"));
  CHECK_THAT(refused({{"path", {"sounds", "hum", -1}}, {"number", 1}}), Contains("path"));
  CHECK_THAT(refused({{"path", {"sounds", "hum", "gian"}}, {"text", "-3 dB"}}), Contains("gain"));
  CHECK(its.post_text("/turn", R"({"path":["sounds","hum","gain"],"low":NaN,"high":0,"unit":"dB"})").status == 422);
  CHECK(its.post_text("/turn", "[1]").status == 422);
  CHECK(its.post_text("/raise", "{\"event\":7}").status == 422);
  CHECK(its.post_text("/raise", "{\"event\":\"\xff\xfe\"}").status < 500);
  CHECK(its.post("/listener", {{"x", 1}, {"z", 1}}).status == 422);
  CHECK(its.get("/book").value()["edits"].empty());
}

TEST_CASE("random requests never end the desk, and a session with them replays bit for bit") {
  for (std::uint64_t seed = 1; seed <= static_cast<std::uint64_t>(times(12, 2)); ++seed) {
    AtDesk its;
    Random random(seed);
    std::vector<float> live;
    const auto one_of = [&](std::initializer_list<const char*> words) {
      return std::string(words.begin()[random.below(static_cast<std::uint32_t>(words.size()))]);
    };
    for (int i = 0; i < 40; ++i) {
      const std::string sound = one_of({"hum", "far-hum", "bell", "nobody"});
      switch (random.below(8)) {
        case 0: its.stage.raise("hum"); break;
        case 1: its.stage.raise("bell"); break;
        case 2: its.post("/undo", json::object()); break;
        case 3:
          its.post("/turn",
                   {{"path", {"sounds", sound, "pan"}}, {"low", random.between(-1, 0)}, {"high", random.between(0, 1)}, {"unit", "pan"}});
          break;
        case 4:
          its.post("/turn", {{"path", {"groups", one_of({"music", "effects"}), "gain"}}, {"low", -3}, {"high", -3}, {"unit", "dB"}});
          break;
        case 5: its.post("/mute", {{"group", "music"}, {"mute", random.below(2) == 0}}); break;
        case 6: its.post("/give-back", json::object()); break;
        default:
          its.turn(sound, one_of({"gain", "pitch", "spacing"}), random.between(-20, 0), random.between(-20, 3), one_of({"dB", "st", "s"}));
          break;
      }
      const Take take = its.stage.render(Seconds{0.05});
      live.insert(live.end(), take.samples.begin(), take.samples.end());
    }
    its.desk.reset();
    its.stage.manager.reset();
    std::string journal;
    for (const JournalEntry& entry : its.stage.journal) journal += to_json(entry) + "\n";
    const JournalScript script = parse_journal(journal, "j");
    SoundManager manager(options_of(script));
    std::vector<float> again;
    replay(script, std::span(its.stage.bank.get(), 1), manager,
           [&](std::span<const float> block) { again.insert(again.end(), block.begin(), block.end()); });
    REQUIRE(again.size() >= live.size());
    CHECK(std::equal(live.begin(), live.end(), again.begin()));
  }
}

TEST_CASE("the feed tells what happens, with the newest of listeners alone") {
  AtDesk its;
  std::string heard;
  std::atomic<bool> enough{false};
  std::thread page([&] {
    httplib::Client client("127.0.0.1", its.port);
    client.Get("/feed", its.key(), [&](const char* data, std::size_t size) {
      heard.append(data, size);
      enough = heard.find("\"event\":\"nonsense\"") != std::string::npos && heard.find("meters") != std::string::npos;
      return !enough;
    });
  });
  for (int i = 0; i < 4000 && !enough; ++i) {
    its.stage.raise("nonsense");
    its.stage.manager->set_listener(0, {.place = {static_cast<double>(i), 0, 0}});
    its.stage.render(Seconds{0.02});
    std::this_thread::sleep_for(std::chrono::milliseconds(2));
  }
  page.join();
  REQUIRE(enough);
  std::size_t raises = 0, listeners = 0;
  for (std::size_t at = 0; (at = heard.find("\"request\":\"raise\"", at)) != std::string::npos; ++at) ++raises;
  for (std::size_t at = 0; (at = heard.find("\"request\":\"listener\"", at)) != std::string::npos; ++at) ++listeners;
  CHECK(raises > 0);
  CHECK(listeners <= raises);
  CHECK(heard.starts_with("data: ["));
}

TEST_CASE("a page that is slow loses the oldest lines and is told how many, and nobody waits for it") {
  desk::Feed feed;
  feed.add("\"before anybody looks on\"");
  desk::Feed::Reader slow(feed);
  const std::string line = "\"" + std::string(998, 'x') + "\"";
  constexpr std::size_t lines = 3000, most = desk::Feed::most_bytes / 1000;
  for (std::size_t i = 0; i < lines; ++i) feed.add(line);
  const std::string portion = slow.next();
  CHECK(portion.starts_with("event: missed\ndata: " + std::to_string(lines - most) + "\n\ndata: ["));
  CHECK(portion.size() < desk::Feed::most_bytes + 10000);
  CHECK(portion.find("before anybody") == std::string::npos);
  feed.add("1"), feed.add("2");
  CHECK(slow.next() == "data: [1,2]\n\n");
  std::thread later([&] { feed.close(); });
  CHECK(slow.next().starts_with(":"));
  later.join();
}

TEST_CASE("an excerpt of a book gives a sound as the whole book does") {
  for (const char* name : {"examples/harbour/book.toml", "tests/books/odd.toml"}) {
    const std::string path = std::string(PROJECT_FOLDER) + "/" + name;
    const ReadBook whole = read_book(path);
    REQUIRE(!whole.book.sounds.empty());
    std::ifstream in(path, std::ios::binary);
    const std::string text{std::istreambuf_iterator<char>(in), {}};
    const desk::Excerpts excerpts(text);
    for (const BookSound& sound : whole.book.sounds) {
      INFO(name << " " << sound.name);
      const ReadBook part = parse_book(excerpts.of({sound.name}), path);
      const auto found =
          std::find_if(part.book.sounds.begin(), part.book.sounds.end(), [&](const BookSound& its) { return its.name == sound.name; });
      REQUIRE(found != part.book.sounds.end());
      CHECK(static_cast<const SoundDesign&>(*found) == static_cast<const SoundDesign&>(sound));
      CHECK(found->group == sound.group);
      REQUIRE(found->layers.size() == sound.layers.size());
      for (std::size_t i = 0; i < sound.layers.size(); ++i)
        CHECK(static_cast<const LayerDesign&>(found->layers[i]) == static_cast<const LayerDesign&>(sound.layers[i]));
      CHECK(part.book.sounds.size() <= whole.book.sounds.size());
    }
  }
}

TEST_CASE("a manager without a journal has one while somebody listens, and none after") {
  Stage books(book);
  SoundManager manager({.offline = true});
  manager.load(*books.bank);
  std::vector<float> block(2000);
  manager.raise("hum");
  manager.render(block), manager.update({});
  std::vector<std::string> lines, others;
  const std::uint64_t number = manager.add_journal([&](const JournalEntry& entry) { lines.push_back(to_json(entry)); });
  manager.update({});
  manager.raise("bell");
  const std::uint64_t other = manager.add_journal([&](const JournalEntry& entry) { others.push_back(to_json(entry)); });
  manager.render(block), manager.update({});
  REQUIRE(lines.size() > 2);
  CHECK_THAT(lines[0], Contains("\"journal\":1"));
  const auto has = [](const std::vector<std::string>& all, const char* what) {
    return std::any_of(all.begin(), all.end(), [&](const std::string& line) { return line.find(what) != std::string::npos; });
  };
  CHECK(has(lines, "\"event\":\"bell\""));
  CHECK(!has(lines, "\"event\":\"hum\""));
  REQUIRE(!others.empty());
  CHECK_THAT(others[0], Contains("\"journal\":1"));
  manager.remove_journal(number);
  const std::size_t before = lines.size();
  manager.raise("nonsense");
  manager.update({});
  CHECK(lines.size() == before);
  CHECK(has(others, "nonsense"));
  manager.remove_journal(other);
  manager.raise("nonsense");
  manager.update({});
  CHECK(lines.size() == before);
}

TEST_CASE("what plays is told to a tool that comes late") {
  Stage stage(
      "[sounds.hum]\nclips = [\"hum.wav\"]\nloop = true\ngain = \"-6 dB\"\n[sounds.buoy]\nclips = [\"hum.wav\"]\nloop = true\nplace = "
      "\"world\"\nnear = \"1 m\"\nfar = \"100 m\"\n[sounds.bell]\nclips = [\"tone.wav\"]\n[events.hum]\nstart = "
      "\"hum\"\n[events.buoy]\nstart = "
      "\"buoy\"\n[events.bell]\nstart = \"bell\"\n");
  stage.manager->set_listener(0, {});
  const Emitter buoy = stage.manager->make_emitter({.place = {3, 0, -4}});
  stage.raise("hum");
  stage.manager->raise("buoy", buoy);
  stage.raise("bell");
  stage.render(Seconds{0.2});
  const std::vector<PlayingNow> now = stage.manager->playing();
  REQUIRE(now.size() == 3);
  CHECK(now[0].sound == "hum");
  CHECK(now[0].loops);
  CHECK(now[0].bank == "stage");
  CHECK(now[0].group == "master");
  CHECK(now[0].state == PlaybackState::sounds);
  CHECK(now[1].sound == "buoy");
  CHECK(now[1].emitter == buoy);
  REQUIRE(now[1].place);
  CHECK(now[1].place->z == -4);
  REQUIRE(now[1].away);
  CHECK(now[1].away->value == Approx(5).margin(0.01));
  CHECK(now[1].level < now[0].level);
  CHECK(!now[2].loops);
  stage.render(Seconds{1});
  CHECK(stage.manager->playing().size() == 2);
  stage.manager->stop_all();
  stage.render(Seconds{0.2});
  CHECK(stage.manager->playing().empty());
  REQUIRE(stage.manager->loaded_banks().size() == 1);
  CHECK(stage.manager->loaded_banks()[0].name() == "stage");
}

TEST_CASE("a control surface turns, mutes, raises and sets gauges, in the book's units") {
  const AtDesk its({.book = {}, .osc = 0},
                   book + "[sounds.\"buoy/far ⚓\"]\nlike = \"hum\"\n[events.\"buoy rang\"]\nstart = \"buoy/far ⚓\"\n");
  const Surface surface(its.desk->osc_port());
  SoundManager& game = *its.stage.manager;
  surface.send("/tidewater/group/music/gain", {-6});
  CHECK(comes([&] { return game.group("music")->gain == Decibels{-6}; }));
  surface.send_text("/tidewater/group/music/gain", "-7.5 dB");
  CHECK(comes([&] { return game.group("music")->gain == Decibels{-7.5}; }));
  surface.send("/tidewater/fader/group/effects", {0.5});  // half as loud as full, which is +6 dB
  CHECK(comes([&] { return std::fabs(game.group("effects")->gain.value - -4) < 0.06; }));
  surface.send("/tidewater/fader/group/effects", {0});
  CHECK(comes([&] { return game.group("effects")->gain == silence; }));
  surface.send(Surface::message("/tidewater/group/music/mute", [](lo_message m) { lo_message_add_true(m); }));
  CHECK(comes([&] { return game.group("music")->muted; }));
  surface.send(Surface::message("/tidewater/group/music/mute", [](lo_message m) { lo_message_add_int32(m, 0); }));
  CHECK(comes([&] { return !game.group("music")->muted; }));
  surface.send("/tidewater/gauge/wind", {0.75});
  surface.send("/tidewater/event/buoy%20rang", {});
  CHECK(comes([&] { return game.stats().started == 1; }));
  CHECK(game.playing()[0].sound == "buoy/far ⚓");
  surface.send("/tidewater/event/bell", {0});  // a pad that is let go
  surface.send("/tidewater/sound/" + desk::encoded_name("buoy/far ⚓") + "/gain", {-20, -18});
  CHECK(comes([&] { return its.get("/book").value()["edits"].size() == 3; }));
  CHECK(its.get("/book").body.find("-20 dB .. -18 dB") != std::string::npos);
  CHECK(game.stats().started == 1);
  std::string bundle("#bundle\0\0\0\0\0\0\0\0\1", 16);
  for (const std::string& part : {Surface::message("/tidewater/event/bell", [](lo_message) {}),
                                  Surface::message("/tidewater/group/music/gain", [](lo_message m) { lo_message_add_double(m, -3); })})
    bundle += std::string("\0\0\0", 3) + static_cast<char>(part.size()) + part;
  surface.send(bundle);
  CHECK(comes([&] { return game.stats().started == 2 && game.group("music")->gain == Decibels{-3}; }));
  CHECK_THAT(its.get("/osc").body, Contains("/tidewater/group/NAME/gain") && Contains("buoy%2Ffar%20%E2%9A%93"));
}

TEST_CASE("motor faders follow what is turned elsewhere, and not their own hand") {
  const AtDesk its({.book = {}, .osc = 0});
  const Surface hand(its.desk->osc_port()), other(its.desk->osc_port());
  for (const Surface* surface : {&hand, &other}) {
    surface->send("/tidewater/listen", {});
    CHECK(surface->next("/tidewater/fader/group/music").number == Approx(desk::fader_of(0)).margin(1e-3));
  }
  hand.send("/tidewater/fader/group/music", {0.3});
  CHECK(other.next("/tidewater/fader/group/music").number == Approx(0.3).margin(0.01));
  its.post("/turn", {{"path", {"groups", "music", "gain"}}, {"low", -30}, {"high", -30}, {"unit", "dB"}});
  // The next that the hand hears of is the page's, not its own.
  const Surface::Heard heard = hand.next("/tidewater/group/music/gain");
  CHECK(heard.number == Approx(-30).margin(0.01));
  const Surface nonsense(its.desk->osc_port());
  nonsense.send("/tidewater/group/nobody/gain", {-3});
  CHECK_THAT(nonsense.next("/tidewater/problem").text, Contains("nobody"));
}

TEST_CASE("OSC listens on this machine alone, and a taken port is told") {
  const AtDesk its({.book = {}, .osc = 0});
  std::ifstream table("/proc/net/udp");
  char port[16];
  std::snprintf(port, sizeof port, ":%04X ", static_cast<unsigned>(its.desk->osc_port()));
  bool found = false;
  for (std::string line; std::getline(table, line);)
    if (const std::size_t at = line.find(port); at != std::string::npos && at < 20) {
      found = true;
      CHECK(line.substr(at - 8, 8) == "0100007F");
    }
  CHECK(found);
  CHECK_THROWS_WITH(AtDesk({.book = {}, .osc = its.desk->osc_port()}), Contains("OSC cannot listen"));
  CHECK(AtDesk().desk->osc_port() == 0);
}

TEST_CASE("a flood of messages is merged and bounded, the last of each fader counts, and nonsense changes nothing") {
  std::atomic<std::uint64_t> carried{0};
  std::atomic<double> last{0};
  std::atomic<std::uint64_t> bad{0};
  desk::Osc osc(
      {},
      [&](const desk::OscMessage& message) {
        ++carried;
        if (message.what == desk::OscMessage::What::gauge && !(message.numbers.size() == 1 && std::isfinite(message.numbers[0]))) ++bad;
        if (message.name == "wind") last = message.numbers[0];
        return std::string();
      },
      [] { return std::vector<std::pair<std::string, double>>(); });
  const Surface surface(osc.port());
  constexpr int messages = 20000;
  const auto begun = std::chrono::steady_clock::now();
  for (int i = 0; i < messages; ++i) {
    surface.send("/tidewater/gauge/" + (i % 3 == 0 ? std::string("wind") : "g" + std::to_string(i % 900)), {static_cast<double>(i)});
    if (i % 50 == 0) std::this_thread::yield();
  }
  const auto settled = [&] { return osc.counts().carried_out + osc.counts().merged + osc.counts().dropped == osc.counts().came; };
  CHECK(comes(settled));
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
  CHECK(static_cast<double>(carried) <= 600 + desk::Osc::most_a_second * seconds);
  std::this_thread::sleep_for(std::chrono::milliseconds(300));
  surface.send("/tidewater/gauge/wind", {-1});
  CHECK(comes([&] { return last == -1; }));
  const std::uint64_t before = osc.counts().malformed;
  for (const double odd : {std::nan(""), HUGE_VAL, -HUGE_VAL}) surface.send("/tidewater/gauge/wind", {odd});
  for (const char* address :
       {"/tidewater/gauge/*", "/tidewater/gauge/", "/tidewater/group//gain", "/elsewhere", "/tidewater/gauge/a/b", "/tidewater/sound/x"})
    surface.send(address, {1});
  surface.send("/tidewater/gauge/wind", {1, 2});
  surface.send_text("/tidewater/gauge/wind", "much");
  CHECK(comes([&] { return osc.counts().malformed == before + 11; }));
  CHECK(last == -1);
  Random random(7);
  const std::string good = Surface::message("/tidewater/gauge/wind", [](lo_message m) { lo_message_add_float(m, 1); });
  std::string nested = good;
  for (int i = 0; i < 20; ++i) {
    const auto size = static_cast<std::uint32_t>(nested.size());
    nested =
        std::string("#bundle\0\0\0\0\0\0\0\0\1", 16) +
        std::string{static_cast<char>(size >> 24), static_cast<char>(size >> 16), static_cast<char>(size >> 8), static_cast<char>(size)} +
        nested;
  }
  surface.send(nested);
  for (int i = 0; i < times(20000, 2000); ++i) {
    std::string bytes = random.below(3) == 0 ? nested : good;
    for (std::uint32_t n = random.below(6); n > 0; --n)
      bytes[random.below(static_cast<std::uint32_t>(bytes.size()))] = static_cast<char>(random.below(256));
    bytes.resize(random.below(static_cast<std::uint32_t>(bytes.size())) + 1);
    surface.send(bytes);
    if (i % 50 == 0) std::this_thread::yield();
  }
  std::this_thread::sleep_for(std::chrono::milliseconds(300));
  surface.send("/tidewater/gauge/wind", {-2});
  CHECK(comes([&] { return last == -2; }));
  CHECK(bad == 0);
}

TEST_CASE("names go through addresses and back, whatever is in them") {
  Random random(3);
  for (int i = 0; i < 2000; ++i) {
    std::string name;
    for (std::uint32_t n = random.below(12); n > 0; --n) name += static_cast<char>(random.below(256));
    const std::string part = desk::encoded_name(name);
    CHECK(desk::decoded_name(part) == name);
    CHECK(part.find_first_of(" #*,/?[]{}") == std::string::npos);
  }
  for (const double level : {-120.0, -60.0, -10.0, 0.0, 6.0}) CHECK(desk::decibels_of(desk::fader_of(level)) == Approx(level).margin(0.01));
}
