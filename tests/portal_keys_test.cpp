// Keys through the desktop's portal: a stand-in of it, on a real session bus.
#include "meter/display/portal_keys.hpp"

#include <poll.h>
#include <stdlib.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <mutex>

#include "a_bus.hpp"
#include "folder.hpp"

namespace idlemeter::meter {
namespace {

using namespace idlemeter::testing;

constexpr const char *kPortal = "org.freedesktop.portal.Desktop", *kObject = "/org/freedesktop/portal/desktop",
                     *kShortcuts = "org.freedesktop.portal.GlobalShortcuts",
                     *kSession = "/org/freedesktop/portal/desktop/session/1_1/idlemeter";

/// Answers as xdg-desktop-portal does: each call with a request, whose response comes as a signal.
class Portal {
 public:
  explicit Portal(const std::string& address, guint response = 0)
      : response_(response),
        service_(address, kPortal, kObject,
                 "<node><interface name='org.freedesktop.portal.GlobalShortcuts'><property name='version' type='u' "
                 "access='read'/><method name='CreateSession'><arg type='a{sv}' direction='in'/><arg type='o' "
                 "direction='out'/></method><method name='BindShortcuts'><arg type='o' direction='in'/><arg "
                 "type='a(sa{sv})' direction='in'/><arg type='s' direction='in'/><arg type='a{sv}' direction='in'/>"
                 "<arg type='o' direction='out'/></method></interface></node>",
                 [this](const std::string& method, GVariant* words, GDBusMethodInvocation* call) {
                   answer(method, words, call);
                 }) {
    EXPECT_TRUE(wait_for([&] { return service_.is_there.load(); }));
  }

  void press(const char* session, const char* name) const {
    service_.emit(kObject, kShortcuts, "Activated",
                  g_variant_new("(ost@a{sv})", session, name, guint64{7},
                                g_variant_new_array(G_VARIANT_TYPE("{sv}"), nullptr, 0)));
  }

  [[nodiscard]] std::map<std::string, std::string> triggers() const {
    const std::lock_guard lock(mutex_);
    return triggers_;
  }

 private:
  void answer(const std::string& method, GVariant* words, GDBusMethodInvocation* call) {
    if (method == "Get")  // the property
      return g_dbus_method_invocation_return_value(call, g_variant_new("(v)", g_variant_new_uint32(1)));
    const bool creates = method == "CreateSession";
    GVariant* options = g_variant_get_child_value(words, creates ? 0 : 3);
    const char* token = "";
    g_variant_lookup(options, "handle_token", "&s", &token);
    std::string sender = g_dbus_method_invocation_get_sender(call) + 1;
    std::replace(sender.begin(), sender.end(), '.', '_');
    const std::string request = std::string(kObject) + "/request/" + sender + "/" + token;
    g_variant_unref(options);
    if (!creates) note(words);
    GVariantBuilder results;
    g_variant_builder_init(&results, G_VARIANT_TYPE_VARDICT);
    if (creates) g_variant_builder_add(&results, "{sv}", "session_handle", g_variant_new_string(kSession));
    g_dbus_method_invocation_return_value(call, g_variant_new("(o)", request.c_str()));
    service_.emit(request, "org.freedesktop.portal.Request", "Response",
                  g_variant_new("(ua{sv})", creates ? 0 : response_, &results));
  }

  void note(GVariant* words) {
    const std::lock_guard lock(mutex_);
    GVariant* list = g_variant_get_child_value(words, 1);
    for (gsize i = 0; i < g_variant_n_children(list); ++i) {
      const char *name = nullptr, *trigger = "";
      GVariant* about = nullptr;
      g_variant_get_child(list, i, "(&s@a{sv})", &name, &about);
      g_variant_lookup(about, "preferred_trigger", "&s", &trigger);
      triggers_[name] = trigger;
      g_variant_unref(about);
    }
    g_variant_unref(list);
  }

  guint response_;
  mutable std::mutex mutex_;
  std::map<std::string, std::string> triggers_;
  Service service_;
};

class KeysOfAPortal : public ::testing::Test {
 protected:
  KeysOfAPortal() {
    ::setenv("DBUS_SESSION_BUS_ADDRESS", address_.c_str(), 1);
    EXPECT_TRUE(wait_for([&] { return std::filesystem::exists(folder_ / "bus"); }));
  }

  std::map<std::string, Shortcut> shortcuts() {
    return {{"show", {"Show or hide the overlay", "Ctrl+Alt+O", [this] { did_ += "show "; }}},
            {"mark", {"Set a mark", "Shift+Super+F9", [this] { did_ += "mark "; }}}};
  }

  /// Hears until there is something, for up to ten seconds.
  static std::string hear(PortalKeys& keys) {
    pollfd ready{keys.descriptor(), POLLIN, 0};
    EXPECT_EQ(::poll(&ready, 1, 10'000), 1);
    return keys.hear();
  }

  Folder folder_;
  const std::string address_ = "unix:path=" + (folder_ / "bus").string();
  const Server bus_{{"dbus-daemon", "--session", "--nofork", "--nopidfile", "--address=" + address_}};
  std::string did_;
};

TEST_F(KeysOfAPortal, AreBoundAndHeard) {
  const Portal portal(address_);
  EXPECT_EQ(problem_with_portal_keys(), "");
  PortalKeys keys(shortcuts());
  ASSERT_TRUE(wait_for([&] { return portal.triggers().size() == 2; }));
  EXPECT_EQ(portal.triggers()["show"], "CTRL+ALT+o");
  EXPECT_EQ(portal.triggers()["mark"], "SHIFT+LOGO+F9");
  portal.press("/org/freedesktop/portal/desktop/session/1_2/other", "mark");
  portal.press(kSession, "unknown");
  portal.press(kSession, "show");
  for (int i = 0; i < 3 && did_.empty(); ++i) EXPECT_EQ(hear(keys), "");
  EXPECT_EQ(did_, "show ") << "another program's keys, and names that aren't ours, do nothing";
}

TEST_F(KeysOfAPortal, SayWhyThereAreNone) {
  {
    PortalKeys keys(shortcuts());
    EXPECT_NE(hear(keys).find("the desktop has no portal for keys"), std::string::npos);
    EXPECT_NE(problem_with_portal_keys().find("the desktop has no portal for keys"), std::string::npos);
  }
  {
    const Portal portal(address_, 1);
    PortalKeys keys(shortcuts());
    EXPECT_EQ(hear(keys), "the desktop or the user declined the shortcuts");
  }
  ::setenv("DBUS_SESSION_BUS_ADDRESS", "unix:path=/nowhere", 1);
  PortalKeys keys(shortcuts());
  EXPECT_NE(hear(keys).find("the session bus can't be reached"), std::string::npos);
}

}  // namespace
}  // namespace idlemeter::meter
