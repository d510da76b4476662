#include "meter/display/keys.hpp"

#include <fmt/format.h>
#include <xcb/xinput.h>
#include <xkbcommon/xkbcommon-x11.h>

#include <vector>

#include "base/key_chord.hpp"
#include "idlemeter/base/error.hpp"
#include "meter/display/x11.hpp"

namespace idlemeter::meter {
namespace {

using namespace base;

constexpr std::uint16_t kModifiers = XCB_MOD_MASK_SHIFT | XCB_MOD_MASK_CONTROL | XCB_MOD_MASK_1 | XCB_MOD_MASK_4;

struct Chord {
  std::uint16_t modifiers = 0;
  xkb_keysym_t key = XKB_KEY_NoSymbol;
  std::function<void()> act;
};

constexpr std::pair<KeyChord::Modifier, std::uint16_t> kMasks[] = {{KeyChord::shift, XCB_MOD_MASK_SHIFT},
                                                                   {KeyChord::ctrl, XCB_MOD_MASK_CONTROL},
                                                                   {KeyChord::alt, XCB_MOD_MASK_1},
                                                                   {KeyChord::super, XCB_MOD_MASK_4}};

Chord chord_from(const std::string& text) {
  const KeyChord named = key_chord_from(text).value_or(KeyChord{});
  Chord chord;
  for (const auto& [modifier, mask] : kMasks) chord.modifiers |= (named.modifiers & modifier) != 0 ? mask : 0;
  chord.key = xkb_keysym_from_name(named.key.c_str(), XKB_KEYSYM_CASE_INSENSITIVE);
  if (chord.key == XKB_KEY_NoSymbol)
    throw Error(Error::Code::invalid, fmt::format("there is no key '{}' (in \"{}\")", named.key, text), "the settings",
                "use its xkb name: O, F9, Pause, KP_Add");
  return chord;
}

}  // namespace

struct Keys::State {
  Connection connection = connect_to_display();
  xcb_connection_t* display = connection.get();
  xcb_window_t root = 0;
  std::uint8_t opcode = 0;
  xkb_context* context = nullptr;
  xkb_keymap* keymap = nullptr;
  std::vector<Chord> chords;

  ~State() {
    xkb_keymap_unref(keymap);
    xkb_context_unref(context);
  }

  /// Raw events come to everybody who asked from 2.1 on, whoever has grabbed the keyboard.
  void ask_for_keys() {
    const auto* extension = xcb_get_extension_data(display, &xcb_input_id);
    if (extension == nullptr || extension->present == 0)
      throw Error(Error::Code::unavailable, "the display has no XInput", "X11");
    opcode = extension->major_opcode;
    const auto version =
        owned(xcb_input_xi_query_version_reply(display, xcb_input_xi_query_version(display, 2, 2), nullptr));
    if (version == nullptr || version->major_version < 2 || (version->major_version == 2 && version->minor_version < 1))
      throw Error(Error::Code::unavailable, "the display's XInput is older than 2.1", "X11");
    struct {
      xcb_input_event_mask_t head;
      std::uint32_t mask;
    } wanted{{XCB_INPUT_DEVICE_ALL_MASTER, 1}, XCB_INPUT_XI_EVENT_MASK_RAW_KEY_PRESS};
    xcb_input_xi_select_events(display, root, 1, &wanted.head);
    xcb_flush(display);
  }

  void read_keymap() {
    xkb_x11_setup_xkb_extension(display, XKB_X11_MIN_MAJOR_XKB_VERSION, XKB_X11_MIN_MINOR_XKB_VERSION,
                                XKB_X11_SETUP_XKB_EXTENSION_NO_FLAGS, nullptr, nullptr, nullptr, nullptr);
    context = xkb_context_new(XKB_CONTEXT_NO_FLAGS);
    const std::int32_t device = xkb_x11_get_core_keyboard_device_id(display);
    keymap =
        device < 0 ? nullptr : xkb_x11_keymap_new_from_device(context, display, device, XKB_KEYMAP_COMPILE_NO_FLAGS);
    if (keymap == nullptr) throw Error(Error::Code::unavailable, "the display says nothing about its keyboard", "X11");
  }

  /// What is held now: events may come twice or not at all, the state doesn't.
  [[nodiscard]] std::uint16_t held() const {
    const auto pointer = owned(xcb_query_pointer_reply(display, xcb_query_pointer(display, root), nullptr));
    return pointer == nullptr ? 0 : pointer->mask & kModifiers;
  }

  void press(std::uint32_t code) {
    const xkb_keysym_t* keys = nullptr;
    const int count = xkb_keymap_key_get_syms_by_level(keymap, code, 0, 0, &keys);
    for (const Chord& chord : chords) {
      bool is_it = false;
      for (int i = 0; i < count; ++i) is_it = is_it || xkb_keysym_to_lower(keys[i]) == xkb_keysym_to_lower(chord.key);
      if (is_it && held() == chord.modifiers) return chord.act();
    }
  }
};

Keys::Keys(const std::map<std::string, std::function<void()>>& bindings) : state_(std::make_unique<State>()) {
  for (const auto& [text, act] : bindings) {
    state_->chords.push_back(chord_from(text));
    state_->chords.back().act = act;
  }
  if (xcb_connection_has_error(state_->display) != 0)
    throw Error(Error::Code::unavailable, "there is no X11 display for keys", "", "use the desktop's own shortcuts",
                Error::Hint::shortcuts);
  state_->root = xcb_setup_roots_iterator(xcb_get_setup(state_->display)).data->root;
  state_->ask_for_keys();
  state_->read_keymap();
}

Keys::~Keys() = default;

int Keys::descriptor() const { return xcb_get_file_descriptor(state_->display); }

bool Keys::hear() {
  while (const auto event = owned(xcb_poll_for_event(state_->display))) {
    if ((event->response_type & 0x7f) != XCB_GE_GENERIC) continue;
    const auto* generic = reinterpret_cast<const xcb_ge_generic_event_t*>(event.get());
    if (generic->extension != state_->opcode || generic->event_type != XCB_INPUT_RAW_KEY_PRESS) continue;
    const auto* key = reinterpret_cast<const xcb_input_raw_key_press_event_t*>(event.get());
    const bool repeated = (key->flags & XCB_INPUT_KEY_EVENT_FLAGS_KEY_REPEAT) != 0;
    if (!repeated) state_->press(key->detail);
  }
  return xcb_connection_has_error(state_->display) == 0;
}

}  // namespace idlemeter::meter
