// Lines from other programs, over a Unix socket.
#include "base/line_server.hpp"

#include <gtest/gtest.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <utility>

#include "base/local_socket.hpp"
#include "base/private_socket.hpp"
#include "folder.hpp"
#include "idlemeter/base/error.hpp"

namespace idlemeter::base {
namespace {

class Lines : public ::testing::Test {
 protected:
  void start(LineServerOptions options) {
    server_.emplace(
        socket(), options,
        [this](LineServer::Client client, std::string_view line) {
          heard_.emplace_back(line);
          last_ = client;
          if (echo_) server_->answer(client, "you said " + std::string(line));
        },
        [this](LineServer::Client) { ++refused_; });
  }

  [[nodiscard]] std::filesystem::path socket() const { return folder_ / "run/lines"; }

  int connect() {
    clients_.push_back(connect_to(socket().c_str()));
    EXPECT_GE(clients_.back(), 0);
    serve();
    return clients_.back();
  }

  void send(int client, const std::string& text) {
    for (std::size_t sent = 0; sent < text.size();) {
      const ssize_t some = ::send(client, text.data() + sent, text.size() - sent, MSG_NOSIGNAL);
      if (some > 0) sent += static_cast<std::size_t>(some);
      serve();
      if (some < 0 && errno != EAGAIN) return;
    }
  }

  void serve() {
    for (int i = 0; i < 8; ++i) server_->serve();
  }

  /// What has come back; "closed" at its end.
  static std::string read(int client) {
    char buffer[4096];
    const ssize_t got = ::recv(client, buffer, sizeof buffer, MSG_DONTWAIT);
    return got > 0 ? std::string(buffer, static_cast<std::size_t>(got)) : got == 0 ? "closed" : "";
  }

  ~Lines() override {
    for (const int client : clients_) ::close(client);
  }

  testing::Folder folder_;
  std::optional<LineServer> server_;
  std::vector<int> clients_;
  std::vector<std::string> heard_;
  LineServer::Client last_ = 0;
  int refused_ = 0;
  bool echo_ = false;
};

TEST_F(Lines, ComeInPiecesAndTooLongOnesAreRefused) {
  start({.line_bytes = 8});
  const int client = connect();
  send(client, "on");
  send(client, "e\ntwo\n\n");
  EXPECT_EQ(heard_, (std::vector<std::string>{"one", "two", ""}));
  send(client, "12345678\n123456789\n" + std::string(100'000, 'x') + "\nafter\nunfinished");
  EXPECT_EQ(heard_.back(), "after");
  EXPECT_EQ(heard_.size(), 5u);
  EXPECT_EQ(refused_, 2);
  ::shutdown(client, SHUT_WR);
  serve();
  EXPECT_EQ(refused_, 3) << "a line without an end";
  EXPECT_EQ(read(client), "closed");
}

TEST_F(Lines, AreAnsweredOneAfterAnother) {
  start({.line_bytes = 100, .answers = true});
  const int client = connect();
  send(client, "a\nb\n");
  EXPECT_EQ(heard_, std::vector<std::string>{"a"}) << "the second waits";
  const LineServer::Client first = last_;
  server_->answer(first, "1");
  EXPECT_EQ(heard_.back(), "b");
  ::shutdown(client, SHUT_WR);
  serve();
  server_->answer(first, "2");
  server_->answer(first, "nobody waits for this");
  EXPECT_EQ(read(client), "1\n2\n") << "also to one that sends nothing more";
  serve();
  EXPECT_EQ(read(client), "closed");
}

TEST_F(Lines, AnsweredAtOnceDoNotGrowTheStack) {
  echo_ = true;
  start({.line_bytes = 100, .answers = true});
  const int client = connect();
  std::string many;
  for (int i = 0; i < 5'000; ++i) many += "x\n";
  std::string back;
  for (std::size_t sent = 0; sent < many.size(); sent += 200) {
    send(client, many.substr(sent, 200));
    for (std::string part; !(part = read(client)).empty();) back += part;
  }
  EXPECT_EQ(heard_.size(), 5'000u);
  EXPECT_EQ(back.size(), 5'000 * std::string("you said x\n").size());
  send(client, std::string(200, 'y'));
  EXPECT_EQ(read(client), "closed") << "its next answer would be another line's";
}

TEST_F(Lines, WithUnreadAnswersEndTheConnection) {
  echo_ = true;
  start({.line_bytes = 100, .answers = true});
  const int client = connect();
  send(client, std::string(10'000, '\n'));  // and reads nothing
  std::string back, part;
  while (!(part = read(client)).empty() && part != "closed") back += part;
  EXPECT_EQ(part, "closed");
  EXPECT_LT(heard_.size(), 10'000u);
}

TEST_F(Lines, AreStreamedAsFastAsTheClientReads) {
  using Reader = LineServer::Reader;
  start({.most_clients = 2, .line_bytes = 100, .answers = true, .newest_first = true});
  const int client = connect();
  send(client, "watch\n");
  const LineServer::Client watcher = last_;
  const std::string line(100'000, 'x');
  int sent = 0;
  for (; server_->reader(watcher) == Reader::ready && sent < 1'000; ++sent) server_->stream(watcher, line);
  EXPECT_LT(sent, 1'000) << "what isn't read isn't kept";
  connect();
  connect();
  connect();
  std::size_t lines = 0;
  for (std::string part; lines < static_cast<std::size_t>(sent);) {
    part = read(client);
    ASSERT_NE(part, "closed") << "dropped for a newcomer";
    lines += static_cast<std::size_t>(std::count(part.begin(), part.end(), '\n'));
    (void)server_->reader(watcher);
  }
  EXPECT_EQ(server_->reader(watcher), Reader::ready);
  ::shutdown(client, SHUT_RDWR);
  serve();
  EXPECT_EQ(server_->reader(watcher), Reader::gone) << "at once, not when something is sent next";
  const int hurried = connect();
  send(hurried, "watch\n");
  ::shutdown(hurried, SHUT_RDWR);
  serve();
  server_->stream(last_, "too late");
  EXPECT_EQ(server_->reader(last_), Reader::gone);
}

/// A command may answer others, whose next lines are taken inside of it. A client that has hung up leaves meanwhile.
TEST_F(Lines, MayAnswerEachOther) {
  LineServer::Client first = 0;
  server_.emplace(socket(), LineServerOptions{.answers = true}, [&](LineServer::Client client, std::string_view line) {
    heard_.emplace_back(line);
    if (line == "wait") first = client;
    if (line != "go") return server_->answer(line == "wait" ? 0 : client, "too");
    server_->answer(first, "after all");
    server_->answer(client, "done");
  });
  const int waits = connect();
  send(waits, "wait\nmore\nmore\n");
  const int goes = connect();
  ASSERT_EQ(::send(goes, "go\ngo\n", 6, MSG_NOSIGNAL), 6);
  ::close(std::exchange(clients_.back(), -1));
  serve();
  EXPECT_EQ(read(waits), "after all\ntoo\ntoo\n");
  EXPECT_EQ(std::count(heard_.begin(), heard_.end(), "go"), 1) << "it doesn't hear the answer";
  EXPECT_EQ(std::count(heard_.begin(), heard_.end(), "more"), 2);
}

TEST_F(Lines, HaveALimitedNumberOfClients) {
  for (const bool newest_first : {false, true}) {
    start({.most_clients = 2, .newest_first = newest_first});
    const int first = connect(), second = connect();
    send(first, "lately\n");
    const int third = connect();
    EXPECT_EQ(read(third), newest_first ? "" : "closed");
    EXPECT_EQ(read(second), newest_first ? "closed" : "") << "silent longest";
    EXPECT_EQ(read(first), "");
    server_.reset();
    EXPECT_FALSE(std::filesystem::exists(socket()));
  }
}

TEST_F(Lines, HaveTheirOwnSocket) {
  start({});
  EXPECT_THROW(LineServer(socket(), {}, [](LineServer::Client, std::string_view) {}), Error) << "it is in use";
  EXPECT_LT(connect_to((folder_ / "none").c_str()), 0);
  EXPECT_LT(connect_to(std::string(300, 'x').c_str()), 0);
  EXPECT_EQ(errno, ENAMETOOLONG);
}

}  // namespace
}  // namespace idlemeter::base
