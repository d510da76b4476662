// A session bus for tests, and services on it.
#pragma once

#include <gio/gio.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <chrono>
#include <functional>
#include <string>
#include <thread>
#include <vector>

namespace idlemeter::testing {

/// A server, until the end of the test.
class Server {
 public:
  explicit Server(std::vector<std::string> words) {
    std::vector<char*> pointers;
    for (std::string& word : words) pointers.push_back(word.data());
    pointers.push_back(nullptr);
    EXPECT_EQ(::posix_spawnp(&pid_, pointers[0], nullptr, nullptr, pointers.data(), environ), 0) << words[0];
  }
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;
  ~Server() {
    ::kill(pid_, SIGKILL);
    ::waitpid(pid_, nullptr, 0);
  }

 private:
  pid_t pid_ = 0;
};

/// Until something is there, for up to ten seconds.
template <typename There>
bool wait_for(There there) {
  for (int i = 0; i < 1'000 && !there(); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(10));
  return there();
}

/// Somebody on the bus who has a name and answers calls, in a thread of its own.
class Service {
 public:
  /// Answers a call of a method; the bus is for signals.
  using Answer = std::function<void(const std::string& method, GVariant* words, GDBusMethodInvocation*)>;

  Service(std::string address, std::string name, std::string object, std::string xml, Answer answer)
      : address_(std::move(address)),
        name_(std::move(name)),
        object_(std::move(object)),
        xml_(std::move(xml)),
        answer_(std::move(answer)) {
    thread_ = std::thread([this] { run(); });
  }
  Service(const Service&) = delete;
  Service& operator=(const Service&) = delete;
  ~Service() {
    ending_ = true;
    g_main_context_wakeup(context_);
    thread_.join();
    g_main_context_unref(context_);
  }

  std::atomic<bool> is_there = false;

  void emit(const std::string& object, const char* interface, const char* signal, GVariant* words) const {
    g_dbus_connection_emit_signal(bus_, nullptr, object.c_str(), interface, signal, words, nullptr);
  }

 private:
  void run() {
    g_main_context_push_thread_default(context_);
    bus_ = g_dbus_connection_new_for_address_sync(
        address_.c_str(),
        static_cast<GDBusConnectionFlags>(G_DBUS_CONNECTION_FLAGS_AUTHENTICATION_CLIENT |
                                          G_DBUS_CONNECTION_FLAGS_MESSAGE_BUS_CONNECTION),
        nullptr, nullptr, nullptr);
    ASSERT_NE(bus_, nullptr);
    GDBusNodeInfo* node = g_dbus_node_info_new_for_xml(xml_.c_str(), nullptr);
    const GDBusInterfaceVTable table{
        [](GDBusConnection*, const char*, const char*, const char*, const char* method, GVariant* words,
           GDBusMethodInvocation* call, void* self) { static_cast<Service*>(self)->answer_(method, words, call); },
        nullptr,
        nullptr,
        {}};
    g_dbus_connection_register_object(bus_, object_.c_str(), node->interfaces[0], &table, this, nullptr, nullptr);
    GVariant* owned = g_dbus_connection_call_sync(
        bus_, "org.freedesktop.DBus", "/org/freedesktop/DBus", "org.freedesktop.DBus", "RequestName",
        g_variant_new("(su)", name_.c_str(), 0u), nullptr, G_DBUS_CALL_FLAGS_NONE, -1, nullptr, nullptr);
    is_there = owned != nullptr;
    while (!ending_) g_main_context_iteration(context_, TRUE);
    if (owned != nullptr) g_variant_unref(owned);
    g_dbus_node_info_unref(node);
    g_object_unref(bus_);
    g_main_context_pop_thread_default(context_);
  }

  std::string address_, name_, object_, xml_;
  Answer answer_;
  GMainContext* context_ = g_main_context_new();
  GDBusConnection* bus_ = nullptr;
  std::atomic<bool> ending_ = false;
  std::thread thread_;
};

}  // namespace idlemeter::testing
