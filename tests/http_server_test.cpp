// The HTTP server by itself: gate, routes, bodies, and streams of events to readers of any speed.
#include "http/http_server.hpp"

#include <gtest/gtest.h>
#include <httplib.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>

#include <atomic>
#include <condition_variable>
#include <list>
#include <mutex>
#include <thread>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"

namespace idlemeter::http {
namespace {

/// A connection that has asked for a path and reads when the test says.
class Connection {
 public:
  Connection(int port, const std::string& path)
      : Connection(port, "GET " + path + " HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n", 0) {}

  /// Sends a head, and as many bytes of a body as are taken.
  Connection(int port, const std::string& head, std::size_t body) : socket_(::socket(AF_INET, SOCK_STREAM, 0)) {
    const int little = 4'096;
    ::setsockopt(socket_, SOL_SOCKET, SO_RCVBUF, &little, sizeof little);
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_port = htons(static_cast<std::uint16_t>(port));
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    EXPECT_EQ(::connect(socket_, reinterpret_cast<const sockaddr*>(&address), sizeof address), 0);
    const std::string all = head + std::string(body, '1');
    for (std::size_t sent = 0; sent < all.size();) {
      const ssize_t some = ::send(socket_, all.data() + sent, all.size() - sent, MSG_NOSIGNAL);
      if (some <= 0) return;
      sent += static_cast<std::size_t>(some);
    }
  }
  Connection(const Connection&) = delete;
  Connection& operator=(const Connection&) = delete;
  ~Connection() { ::close(socket_); }

  /// Reads until that text has come, or the end; all that was read.
  std::string until(const std::string& text) {
    char buffer[4'096];
    while (read_.find(text) == std::string::npos) {
      const ssize_t got = ::recv(socket_, buffer, sizeof buffer, 0);
      if (got <= 0) break;
      read_.append(buffer, static_cast<std::size_t>(got));
    }
    return read_;
  }

 private:
  int socket_;
  std::string read_;
};

TEST(HttpServer, AsksTheGateFirstThenTheRoutesThenTheRest) {
  Server server({});
  std::atomic<int> handled = 0;
  server.set_gate([](const Request& request) -> std::optional<Answer> {
    if (request.header("x-may") == "yes") return std::nullopt;
    return Answer{kForbidden, "no\n", "text/plain", {{"X-Gate", "closed"}}};
  });
  server.add_route(Method::get, "/sum", [](const Request& request) {
    return Answer{kOk,
                  request.path() + " " + request.parameter("a").value_or("-") + request.parameter("b").value_or("-")};
  });
  server.add_route(Method::get, "/a.b", [](const Request&) { return Answer{kOk, "dot"}; });
  server.add_route(
      Method::post, "/take",
      [&](const Request& request) {
        ++handled;
        return Answer{kOk, std::to_string(request.body().size())};
      },
      10);
  server.set_otherwise([](const Request& request) { return Answer{kNotFound, "no " + request.path()}; });
  server.start();
  httplib::Client client("127.0.0.1", server.port());
  const httplib::Headers may = {{"X-May", "yes"}};
  EXPECT_EQ(client.Get("/sum")->status, kForbidden);
  EXPECT_EQ(client.Get("/sum")->get_header_value("X-Gate"), "closed");
  EXPECT_EQ(client.Post("/take", "12345", "text/plain")->status, kForbidden);
  EXPECT_EQ(client.Get("/sum?a=%2B%26&c=1", may)->body, "/sum +&-");
  EXPECT_EQ(client.Get("/a.b", may)->body, "dot");
  EXPECT_EQ(client.Get("/aXb", may)->body, "no /aXb") << "a path is a text, not a pattern";
  EXPECT_EQ(client.Get("/take", may)->status, kNotFound);
  EXPECT_EQ(handled, 0);
  EXPECT_EQ(client.Post("/take", may, "1234567890", "text/plain")->body, "10");
  EXPECT_EQ(client.Post("/take", may, "12345678901", "text/plain")->status, kTooLarge);
  EXPECT_EQ(handled, 1);
}

/// A peer that sends what it likes, and is answered.
std::string answer_to(int port, const std::string& head, std::size_t body) {
  Connection client(port, head, body);
  return client.until("\r\n\r\n").substr(0, std::string_view("HTTP/1.1 413").size());
}

TEST(HttpServer, DecidesAboutABodyBeforeItIsRead) {
  Server server({.root = "/here"});
  std::atomic<std::size_t> most = 0;
  server.add_route(
      Method::post, "/take",
      [&](const Request& request) {
        most = std::max(most.load(), request.body().size());
        return Answer{kOk, request.path()};
      },
      1'000);
  server.start();
  const std::string post = "POST /here/take HTTP/1.1\r\nHost: 127.0.0.1\r\n";
  const struct {
    std::string head;
    std::size_t body;  ///< bytes that are sent after it
    std::string answer;
  } cases[] = {
      {post + "Content-Length: 1000\r\n\r\n", 1'000, "HTTP/1.1 200"},
      {post + "Content-Length: 1001\r\n\r\n", 1'001, "HTTP/1.1 413"},
      {post + "Content-Length: 99999999999\r\n\r\n", 0, "HTTP/1.1 413"},
      {post + "\r\n", 0, "HTTP/1.1 400"},
      {post + "Content-Type: multipart/form-data; boundary=x\r\nContent-Length: 9\r\n\r\n", 9, "HTTP/1.1 400"},
      {post + "Transfer-Encoding: chunked\r\n\r\nffffff\r\n", std::size_t{1} << 20, "HTTP/1.1 413"},
      {post + "Transfer-Encoding: chunked\r\n\r\n", std::size_t{1} << 20, "HTTP/1.1 413"},  // a size without an end
      {"POST /here/elsewhere HTTP/1.1\r\nContent-Length: 9999999\r\n\r\n", 9'999'999, "HTTP/1.1 404"},
      {"PUT /here/take HTTP/1.1\r\nContent-Length: 9999999\r\n\r\n", 9'999'999, "HTTP/1.1 405"},
      {"POST /take HTTP/1.1\r\nContent-Length: 3\r\n\r\n", 3, "HTTP/1.1 404"},
      {"GET /here/take HTTP/1.1\r\n" + std::string(limits::kHttpHead, 'x') + "\r\n\r\n", 0, "HTTP/1.1 400"}};
  for (const auto& c : cases) EXPECT_EQ(answer_to(server.port(), c.head, c.body), c.answer) << c.head.substr(0, 100);
  EXPECT_EQ(most, 1'000u);
}

TEST(HttpServer, ReadsOnlySoManyBodiesAtOnce) {
  Server server({});
  std::mutex mutex;
  std::condition_variable changed;
  std::size_t inside = 0;
  bool may_end = false;
  server.add_route(
      Method::post, "/take",
      [&](const Request&) {
        std::unique_lock lock(mutex);
        ++inside;
        changed.notify_all();
        changed.wait(lock, [&] { return may_end; });
        return Answer{kOk, ""};
      },
      limits::kHttpBody);
  server.start();
  const std::string body(limits::kHttpBody, 'x');
  std::list<std::thread> clients;
  for (std::size_t i = 1; i <= limits::kHttpBodies / limits::kHttpBody; ++i) {
    clients.emplace_back([&] {
      httplib::Client client("127.0.0.1", server.port());
      client.set_read_timeout(60);
      EXPECT_EQ(client.Post("/take", body, "text/plain")->status, kOk);
    });
    std::unique_lock lock(mutex);
    changed.wait(lock, [&] { return inside == i; });
  }
  httplib::Client client("127.0.0.1", server.port());
  EXPECT_EQ(client.Post("/take", "x", "text/plain")->status, kUnavailable);
  {
    const std::lock_guard lock(mutex);
    may_end = true;
  }
  changed.notify_all();
  for (std::thread& one : clients) one.join();
}

TEST(HttpServer, CompressesWhatIsSmall) {
  Server server({});
  for (const std::size_t size : {std::size_t{100}, std::size_t{50'000}, limits::kHttpPacked + 1})
    server.add_route(Method::get, "/" + std::to_string(size), [size](const Request&) {
      return Answer{kOk, std::string(size, 'a')};
    });
  server.start();
  httplib::Client client("127.0.0.1", server.port());
  client.set_decompress(false);
  const httplib::Headers takes = {{"Accept-Encoding", "br, gzip"}};
  EXPECT_EQ(client.Get("/100", takes)->get_header_value("Content-Encoding"), "");
  EXPECT_EQ(client.Get("/50000", takes)->get_header_value("Content-Encoding"), "gzip");
  EXPECT_EQ(client.Get("/50000")->body.size(), 50'000u);
  const auto large = client.Get("/" + std::to_string(limits::kHttpPacked + 1), takes);
  EXPECT_EQ(large->get_header_value("Content-Encoding"), "") << "it would take longer than it saves";
  EXPECT_EQ(large->body.size(), limits::kHttpPacked + 1);
}

TEST(HttpServer, RefusesPortsAndAddressesThatItCannotHave) {
  EXPECT_THROW(Server({.port = 65'536}), Error);
  EXPECT_THROW(Server({.address = "no.such.host.invalid"}), Error);
  const Server first({});
  try {
    const Server second({.port = first.port()});
    FAIL() << "two servers on one port";
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Error::Code::in_use);
  }
}

/// Counts in events, as fast as they are taken.
Server::Handler counting(std::atomic<int>& made, std::size_t bytes, int last = 1'000'000) {
  return [&made, bytes, last](const Request&) {
    Answer answer{kOk, "", "text/event-stream"};
    answer.events = [&made, bytes, last]() -> std::optional<std::string> {
      if (made >= last) return std::nullopt;
      return "data: " + std::to_string(++made) + " " + std::string(bytes, 'x') + "\n\n";
    };
    return answer;
  };
}

TEST(HttpServer, GivesTimeToTakeAnAnswerThatTookLongToMake) {
  constexpr std::size_t kBytes = std::size_t{8} << 20;
  static constexpr auto kLongerThanToAsk = std::chrono::milliseconds(5'200);
  Server server({});
  server.add_route(Method::get, "/slow", [](const Request&) {
    std::this_thread::sleep_for(kLongerThanToAsk);
    return Answer{kOk, std::string(kBytes, 'a')};
  });
  server.start();
  httplib::Client client("127.0.0.1", server.port());
  client.set_read_timeout(std::chrono::seconds(60));
  const auto answer = client.Get("/slow");
  ASSERT_TRUE(answer);
  EXPECT_EQ(answer->body.size(), kBytes);
}

TEST(HttpServer, StreamsEventsToTheEnd) {
  std::atomic<int> made = 0;
  Server server({});
  server.add_route(Method::get, "/events", counting(made, 0, 3));
  server.start();
  httplib::Client client("127.0.0.1", server.port());
  const auto answer = client.Get("/events");
  EXPECT_EQ(answer->body, "data: 1 \n\ndata: 2 \n\ndata: 3 \n\n");
  EXPECT_EQ(answer->get_header_value("Content-Type"), "text/event-stream");
}

TEST(HttpServer, MakesNoEventForAReaderThatHasNotTakenTheLast) {
  std::atomic<int> made = 0;
  Server server({});
  server.add_route(Method::get, "/events", counting(made, 1 << 20));
  server.add_route(Method::get, "/made", [&](const Request&) { return Answer{kOk, std::to_string(made)}; });
  server.start();
  Connection slow(server.port(), "/events");
  slow.until("data: 1 ");
  httplib::Client client("127.0.0.1", server.port());
  int same = 0, now = 0;
  while (same < 50 && now < 1'000) {  // until the kernel's buffers are full
    const int before = std::exchange(now, std::stoi(client.Get("/made")->body));
    same = before == now ? same + 1 : 0;
  }
  EXPECT_LT(now, 20);
  slow.until("data: " + std::to_string(now + 1) + " ");  // it reads on, and gets the next
  EXPECT_GT(made, now);
}

TEST(HttpServer, HasPlaceForSoManyStreamsAndTakesItBack) {
  std::mutex mutex;
  std::condition_variable changed;
  bool ends = false;
  Server server({});
  server.add_route(Method::get, "/events", [&](const Request&) {
    Answer answer{kOk, "", "text/event-stream"};
    answer.events = [&, first = true]() mutable -> std::optional<std::string> {
      if (std::exchange(first, false)) return "data: here\n\n";
      std::unique_lock lock(mutex);
      changed.wait_for(lock, std::chrono::milliseconds(50), [&] { return ends; });
      return ends ? std::nullopt : std::optional<std::string>("");
    };
    return answer;
  });
  server.start();
  std::list<Connection> all;
  for (std::size_t i = 0; i < limits::kHttpStreams; ++i)
    EXPECT_NE(all.emplace_back(server.port(), "/events").until("here").find("here"), std::string::npos);
  httplib::Client client("127.0.0.1", server.port());
  EXPECT_EQ(client.Get("/events")->status, kUnavailable);
  all.pop_front();  // a reader that leaves makes room
  for (bool has_room = false; !has_room;)
    has_room = all.emplace_back(server.port(), "/events").until("\r\n").find(" 200 ") != std::string::npos;
  const std::lock_guard lock(mutex);
  ends = true;
  changed.notify_all();
}

TEST(HttpServer, KnowsThisMachineByItsAddressesAlone) {
  for (const char* own : {"127.0.0.1", "127.9.8.7:80", "localhost:1", "[::1]", "[::1]:80"})
    EXPECT_TRUE(names_this_machine(own)) << own;
  for (const char* other :
       {"", "127.0.0.1.evil.example", "evil.example:80", "[::2]", "192.168.0.1", "0.0.0.0", "localhost.evil"})
    EXPECT_FALSE(names_this_machine(other)) << other;
  EXPECT_TRUE(are_equal("", ""));
  EXPECT_FALSE(are_equal("secret", "secreT"));
  EXPECT_FALSE(are_equal("secret", "secrets"));
}

}  // namespace
}  // namespace idlemeter::http
