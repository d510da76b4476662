#include "meter/display/portal_keys.hpp"

#include <fmt/format.h>
#include <gio/gio.h>
#include <sys/eventfd.h>
#include <unistd.h>

#include <mutex>
#include <thread>
#include <utility>
#include <vector>

#include "base/key_chord.hpp"
#include "base/quiet_thread.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "meter/session_bus.hpp"

namespace idlemeter::meter {
namespace {

constexpr const char *kPortal = "org.freedesktop.portal.Desktop", *kObject = "/org/freedesktop/portal/desktop",
                     *kShortcuts = "org.freedesktop.portal.GlobalShortcuts",
                     *kRequest = "org.freedesktop.portal.Request";
constexpr int kWait = 2'000;  // milliseconds

/// "CTRL+ALT+o", as the portals write a trigger (XDG shortcuts specification).
std::string trigger_of(const std::string& chord) {
  const auto keys = base::key_chord_from(chord);
  if (!keys) return "";
  std::string trigger;
  for (const auto& [modifier, name] : {std::pair{base::KeyChord::shift, "SHIFT+"},
                                       {base::KeyChord::ctrl, "CTRL+"},
                                       {base::KeyChord::alt, "ALT+"},
                                       {base::KeyChord::super, "LOGO+"}})
    trigger += (keys->modifiers & modifier) != 0 ? name : "";
  return trigger + (keys->key.size() == 1 ? lower_case(keys->key) : keys->key);
}

}  // namespace

struct PortalKeys::State {
  std::map<std::string, Shortcut> shortcuts;
  int ready = ::eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK);
  std::mutex mutex;
  std::vector<std::string> pressed;  // under the mutex, as is the problem
  std::string problem;
  Owned<GMainContext, &g_main_context_unref> context{g_main_context_new()};
  Owned<GMainLoop, &g_main_loop_unref> loop{g_main_loop_new(context.get(), FALSE)};
  Bus bus;                // of the thread, as is all below
  std::string session{};  // the portal's object
  std::thread thread;

  explicit State(std::map<std::string, Shortcut> wanted) : shortcuts(std::move(wanted)) {
    thread = base::quiet_thread([this] { run(); });
  }
  State(const State&) = delete;
  State& operator=(const State&) = delete;
  ~State() {
    g_main_context_invoke(
        context.get(),
        [](void* loop) -> gboolean {
          g_main_loop_quit(static_cast<GMainLoop*>(loop));
          return G_SOURCE_REMOVE;
        },
        loop.get());
    thread.join();
    ::close(ready);
  }

  void tell() const {
    const std::uint64_t one = 1;
    (void)!::write(ready, &one, sizeof one);
  }

  void fail(std::string why) {
    {
      const std::lock_guard lock(mutex);
      problem = std::move(why);
    }
    tell();
  }

  void press(const char* name) {
    {
      const std::lock_guard lock(mutex);
      if (shortcuts.find(name) != shortcuts.end()) pressed.emplace_back(name);
    }
    tell();
  }

  void run() {
    g_main_context_push_thread_default(context.get());
    try {
      bus = connect_to_session_bus();
      listen();
      create_session();
    } catch (const Error& error) {
      fail(error.what());
    }
    g_main_loop_run(loop.get());  // also without a bus: it ends when it is asked to
    bus.reset();
    g_main_context_pop_thread_default(context.get());
  }

  void listen() {
    g_dbus_connection_signal_subscribe(
        bus.get(), kPortal, kShortcuts, "Activated", kObject, nullptr, G_DBUS_SIGNAL_FLAGS_NONE,
        [](GDBusConnection*, const char*, const char*, const char*, const char*, GVariant* about, void* self) {
          auto* state = static_cast<State*>(self);
          if (!g_variant_is_of_type(about, G_VARIANT_TYPE("(osta{sv})"))) return;
          const char *session = nullptr, *name = nullptr;
          g_variant_get_child(about, 0, "&o", &session);
          g_variant_get_child(about, 1, "&s", &name);
          if (state->session == session) state->press(name);
        },
        this, nullptr);
    g_signal_connect(bus.get(), "closed", G_CALLBACK(+[](GDBusConnection*, gboolean, GError*, void* self) {
                       static_cast<State*>(self)->fail("the session bus is gone");
                     }),
                     this);
  }

  /// Calls the portal, whose answer comes as a signal of the request that it returns (org.freedesktop.portal.Request);
  /// where that will be is known before, so that none is missed.
  void ask(const char* method, const char* token, GVariant* arguments, GDBusSignalCallback answered) {
    std::string name = g_dbus_connection_get_unique_name(bus.get());
    name.erase(0, 1);
    for (char& c : name) c = c == '.' ? '_' : c;
    const std::string request = fmt::format("{}/request/{}/{}", kObject, name, token);
    g_dbus_connection_signal_subscribe(bus.get(), kPortal, kRequest, "Response", request.c_str(), nullptr,
                                       G_DBUS_SIGNAL_FLAGS_NONE, answered, this, nullptr);
    GError* error = nullptr;
    const Variant answer(g_dbus_connection_call_sync(bus.get(), kPortal, kObject, kShortcuts, method, arguments,
                                                     G_VARIANT_TYPE("(o)"), G_DBUS_CALL_FLAGS_NONE, kWait, nullptr,
                                                     &error));
    if (answer == nullptr) fail(fmt::format("the desktop has no portal for keys ({})", reason_of(error)));
  }

  void create_session() {
    GVariantBuilder options;
    g_variant_builder_init(&options, G_VARIANT_TYPE_VARDICT);
    g_variant_builder_add(&options, "{sv}", "handle_token", g_variant_new_string("idlemeter_session"));
    g_variant_builder_add(&options, "{sv}", "session_handle_token", g_variant_new_string("idlemeter"));
    ask("CreateSession", "idlemeter_session", g_variant_new("(a{sv})", &options),
        [](GDBusConnection*, const char*, const char*, const char*, const char*, GVariant* answer, void* self) {
          static_cast<State*>(self)->take_session(answer);
        });
  }

  void take_session(GVariant* answer) {
    if (!g_variant_is_of_type(answer, G_VARIANT_TYPE("(ua{sv})"))) return;
    std::uint32_t response = 0;
    GVariant* raw = nullptr;
    g_variant_get(answer, "(u@a{sv})", &response, &raw);
    const Variant results(raw);
    const char* handle = nullptr;
    const bool has_handle = g_variant_lookup(results.get(), "session_handle", "&s", &handle) != FALSE ||
                            g_variant_lookup(results.get(), "session_handle", "&o", &handle) != FALSE;
    if (response != 0 || !has_handle || g_variant_is_object_path(handle) == FALSE)
      return fail("the desktop's portal for keys gave no session");
    session = handle;
    bind();
  }

  void bind() {
    GVariantBuilder list, options;
    g_variant_builder_init(&list, G_VARIANT_TYPE("a(sa{sv})"));
    for (const auto& [name, shortcut] : shortcuts) {
      GVariantBuilder about;
      g_variant_builder_init(&about, G_VARIANT_TYPE_VARDICT);
      g_variant_builder_add(&about, "{sv}", "description", g_variant_new_string(shortcut.about.c_str()));
      g_variant_builder_add(&about, "{sv}", "preferred_trigger",
                            g_variant_new_string(trigger_of(shortcut.chord).c_str()));
      g_variant_builder_add(&list, "(sa{sv})", name.c_str(), &about);
    }
    g_variant_builder_init(&options, G_VARIANT_TYPE_VARDICT);
    g_variant_builder_add(&options, "{sv}", "handle_token", g_variant_new_string("idlemeter_bind"));
    ask("BindShortcuts", "idlemeter_bind", g_variant_new("(oa(sa{sv})sa{sv})", session.c_str(), &list, "", &options),
        [](GDBusConnection*, const char*, const char*, const char*, const char*, GVariant* answer, void* self) {
          std::uint32_t response = 1;
          if (g_variant_is_of_type(answer, G_VARIANT_TYPE("(ua{sv})"))) g_variant_get_child(answer, 0, "u", &response);
          if (response != 0) static_cast<State*>(self)->fail("the desktop or the user declined the shortcuts");
        });
  }
};

PortalKeys::PortalKeys(std::map<std::string, Shortcut> shortcuts)
    : state_(std::make_unique<State>(std::move(shortcuts))) {}

PortalKeys::~PortalKeys() = default;

int PortalKeys::descriptor() const { return state_->ready; }

std::string PortalKeys::hear() {
  std::uint64_t count = 0;
  (void)!::read(state_->ready, &count, sizeof count);
  std::vector<std::string> pressed;
  std::string problem;
  {
    const std::lock_guard lock(state_->mutex);
    pressed.swap(state_->pressed);
    problem = state_->problem;
  }
  for (const std::string& name : pressed) state_->shortcuts.at(name).act();
  return problem;
}

std::string problem_with_portal_keys() {
  try {
    const Bus bus = connect_to_session_bus();
    GError* error = nullptr;
    const Variant version(g_dbus_connection_call_sync(bus.get(), kPortal, kObject, "org.freedesktop.DBus.Properties",
                                                      "Get", g_variant_new("(ss)", kShortcuts, "version"),
                                                      G_VARIANT_TYPE("(v)"), G_DBUS_CALL_FLAGS_NONE, kWait, nullptr,
                                                      &error));
    return version != nullptr ? "" : fmt::format("the desktop has no portal for keys ({})", reason_of(error));
  } catch (const Error& error) {
    return error.what();
  }
}

}  // namespace idlemeter::meter
