// A desk on a folder of its own, and a browser that has been let in.
#pragma once

#include <gtest/gtest.h>
#include <httplib.h>

#include <memory>
#include <nlohmann/json.hpp>
#include <string>
#include <utility>
#include <vector>

#include "folder.hpp"
#include "idlemeter/desk/desk.hpp"
#include "stores.hpp"

namespace idlemeter::testing {

using Json = nlohmann::json;

class TwoReadings final : public DeskValues {
 public:
  Snapshot update() override {
    return snapshot_of(
        {{.id = "gpu.hotspot", .title = "GPU hotspot temperature", .kind = DeviceKind::graphics, .unit = Unit::celsius},
         {.id = "cpu.load", .title = "Processor load", .kind = DeviceKind::processor, .unit = Unit::percent}},
        {93.0, 25.0});
  }
  void ask(const std::vector<std::string>&) override {}
  [[nodiscard]] const History& history() const override { return history_; }

 private:
  History history_;
};

inline constexpr const char* kFace = "# mine\n[[row]]\nlabel = \"CPU\"\ncells = [ { reading = \"cpu.load\" } ]\n";

/// Asks a desk: the whole of it is below a path of its own.
class DeskClient : public httplib::Client {
 public:
  explicit DeskClient(Desk& desk) : httplib::Client("127.0.0.1", desk.port()), root_(root_of(desk.address())) {}

  [[nodiscard]] const std::string& root() const { return root_; }

  httplib::Result Get(const std::string& path, const httplib::Headers& headers = {}) {
    return httplib::Client::Get(root_ + path, headers);
  }
  httplib::Result Get(const std::string& path, const httplib::Headers& headers, httplib::ContentReceiver receive) {
    return httplib::Client::Get(root_ + path, headers, std::move(receive));
  }
  httplib::Result Post(const std::string& path, const httplib::Headers& headers, const std::string& body,
                       const std::string& type) {
    return httplib::Client::Post(root_ + path, headers, body, type);
  }

 private:
  static std::string root_of(const std::string& address) {
    const std::size_t begin = address.find('/', std::string_view("http://").size());
    return address.substr(begin, address.find("/?") - begin);
  }

  std::string root_;
};

class DeskTest : public ::testing::Test {
 protected:
  DeskTest()
      : desk({.settings = folder / "settings.toml",
              .faces = folder / "faces",
              .store = folder / "runs.db",
              .state = folder / "state",
              .values = std::make_unique<TwoReadings>(),
              .grounds = {"day"},
              .draw_ground = [](const std::string&, int width, int height) { return Image(width, height); }}),
        client(desk) {
    folder.file("faces/mine.toml", kFace);
  }

  [[nodiscard]] std::string host() const { return "127.0.0.1:" + std::to_string(desk.port()); }

  static std::string path_of(const std::string& address) { return address.substr(address.find("/?")); }

  /// The cookie of a browser that has come in by a new address.
  std::string enter() {
    const auto answer = client.Get(path_of(desk.address()));
    EXPECT_EQ(answer->status, 303);
    const std::string cookie = answer->get_header_value("Set-Cookie");
    EXPECT_NE(cookie.find("; HttpOnly; SameSite=Strict"), std::string::npos) << cookie;
    return cookie.substr(0, cookie.find(';'));
  }

  Json get(const std::string& path, int status = 200) {
    const auto answer = client.Get(path, {{"Cookie", cookie}});
    EXPECT_EQ(answer->status, status) << path << answer->body;
    return Json::parse(answer->body, nullptr, false);
  }

  Json post(const std::string& path, const Json& body, int status = 200) {
    const auto answer =
        client.Post(path, {{"Cookie", cookie}, {"Origin", "http://" + host()}}, body.dump(), "application/json");
    EXPECT_EQ(answer->status, status) << path << answer->body;
    return Json::parse(answer->body, nullptr, false);
  }

  Json edit(const std::string& version, const Json& changes, int status = 200) {
    return post("/api/face/edit", {{"name", "mine"}, {"version", version}, {"changes", changes}}, status);
  }

  [[nodiscard]] std::string text() const { return testing::text_of(folder / "faces/mine.toml"); }

  Folder folder;
  Desk desk;
  DeskClient client;
  std::string cookie = enter();
};

}  // namespace idlemeter::testing
