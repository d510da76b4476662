// What meter and game may do to each other, and commands to a meter.
#include <sys/socket.h>
#include <unistd.h>

#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <vector>

#include "base/private_socket.hpp"
#include "doors.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/meter/watch.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "link/meter_end.hpp"
#include "link/probe_end.hpp"
#include "meter/session/live_session.hpp"

namespace idlemeter::fuzz {
namespace {

using namespace base;

using link::FrameEntry;

FrameEntry entry_of(Bytes& input) {
  FrameEntry entry;
  entry.present = Moment{Nanoseconds(input.integer())};
  entry.gpu_work = Nanoseconds(input.integer());
  entry.latency = Nanoseconds(input.integer());
  entry.on_screen = Nanoseconds(input.integer());
  entry.drawable = input.take<std::uint8_t>();
  entry.width = static_cast<std::uint32_t>(input.integer());
  entry.height = static_cast<std::uint32_t>(input.integer());
  entry.after_pause = input.take<std::uint8_t>() % 8 == 0 ? 1 : 0;
  return entry;
}

/// Some bytes as a message, with descriptors of a region beside them.
void send_message(int socket, Bytes& input, int fd) {
  const std::string text = input.text();
  const std::size_t count = input.below(4);
  std::vector<int> fds(count, fd);
  iovec part{const_cast<char*>(text.data()), text.size()};
  alignas(cmsghdr) char control[CMSG_SPACE(4 * sizeof(int))] = {};
  msghdr message{};
  message.msg_iov = &part;
  message.msg_iovlen = 1;
  if (count > 0 && !text.empty()) {
    message.msg_control = control;
    message.msg_controllen = CMSG_SPACE(count * sizeof(int));
    cmsghdr* header = CMSG_FIRSTHDR(&message);
    header->cmsg_level = SOL_SOCKET;
    header->cmsg_type = SCM_RIGHTS;
    header->cmsg_len = CMSG_LEN(count * sizeof(int));
    std::memcpy(CMSG_DATA(header), fds.data(), count * sizeof(int));
  }
  (void)!::sendmsg(socket, &message, MSG_NOSIGNAL | MSG_DONTWAIT);
}

/// A meter's session without a display or sockets, with one game.
struct Offline {
  /// Presents what it is handed.
  struct Handed final : meter::Attachment {
    [[nodiscard]] pid_t pid() const override { return 0; }
    std::uint32_t drain(std::vector<FrameEntry>& into) override {
      into.insert(into.end(), frames.begin(), frames.end());
      frames.clear();
      return std::exchange(lost, 0);
    }
    [[nodiscard]] bool takes_pictures() const override { return true; }
    void publish(const Image& image, int, int) override {
      require(std::uint64_t{static_cast<std::uint32_t>(image.width)} * static_cast<std::uint32_t>(image.height) * 4 <=
              link::kSlotBytes);
    }
    void show(bool) override {}
    void beat(Moment) override {}
    std::vector<FrameEntry> frames;
    std::uint32_t lost = 0;
  };

  Offline()
      : session(options(), {.clock = [this] { return now; },
                            .machine = [this] { return Snapshot(now, {}); },
                            .is_machine_known = [] { return true; },
                            .game_is = [](int) {},
                            .let_games_go = [] {}}) {
    scratch.file("a.toml",
                 "[[row]]\nlabel = \"A\"\ncells = [ { reading = \"frame.rate\" }, { reading = \"frame.time\", as = "
                 "\"trace\" } ]\n");
    auto attachment = std::make_unique<Handed>();
    handed = attachment.get();
    session.add_game(std::move(attachment));
  }

  MeterOptions options() {
    MeterOptions options;
    options.store = "/dev/null";  // recordings fail at once
    options.visible = false;      // fonts take long to load: only inputs that ask for it draw
    options.faces = {"a"};
    options.face_of = [](const std::filesystem::path&) { return std::string("a"); };
    options.file_of = [this](const std::string& name) {
      if (name != "a" && name != "benchmark") throw Error(Error::Code::not_found, "no such face", name);
      return scratch.path() / "a.toml";
    };
    return options;
  }

  Scratch scratch;
  Moment now = monotonic_now();
  meter::LiveSession session;
  Handed* handed = nullptr;
};

}  // namespace

void link_meter(std::string_view bytes) {
  Bytes input(bytes);
  int ends[2];
  require(::socketpair(AF_UNIX, SOCK_STREAM | SOCK_NONBLOCK | SOCK_CLOEXEC, 0, ends) == 0);
  int fd = -1;
  link::Mapping memory = link::make_region("ring", sizeof(link::Ring), fd);
  auto* ring = new (memory.data) link::Ring;
  link::MeterEnd end(ends[0]);
  Offline offline;
  for (int step = 0; step < 64 && !input.empty(); ++step) {
    switch (input.below(6)) {
      case 0:
        (void)link::send_greeting(ends[1], link::kRingMagic, fd);
        break;
      case 1:
        send_message(ends[1], input, fd);
        break;
      case 2:
        ring->entries[static_cast<std::uint32_t>(input.integer()) % link::kRingCapacity] = entry_of(input);
        break;
      case 3:
        ring->written.fetch_add(static_cast<std::uint32_t>(input.integer()));
        break;
      case 4:
        ring->api = static_cast<link::Api>(input.integer());
        ring->api_major = static_cast<std::uint32_t>(input.integer());
        ring->entry_size = input.take<std::uint8_t>();
        break;
      default:
        (void)end.receive();
        offline.handed->lost = end.drain(offline.handed->frames);
        require(offline.handed->frames.size() <= link::kRingCapacity);
        require(end.graphics().api <= link::Api::vulkan);
        offline.now = monotonic_now();
        offline.session.tick();
    }
  }
  ::close(ends[1]);
  ::close(fd);
  link::unmap(memory);
}

void link_probe(std::string_view bytes) {
  static const Scratch scratch;
  static const std::filesystem::path path = scratch.path() / "s/a.link";
  static const int listening = listen_privately(path);
  ::setenv(link::kVariable, path.c_str(), 1);
  Bytes input(bytes);
  link::ProbeEnd probe;
  Moment time = monotonic_now();
  const auto present = [&] {
    FrameEntry frame;
    frame.present = time;
    probe.add(frame, {link::Api::opengl, 4, 5});
  };
  present();
  const int meter = ::accept4(listening, nullptr, nullptr, SOCK_NONBLOCK | SOCK_CLOEXEC);
  int fd = -1, ring = -1;
  link::Mapping memory = link::make_region("picture", link::kPictureBytes, fd);
  auto* picture = new (memory.data) link::Picture;
  (void)link::receive_greeting(meter, link::kRingMagic, ring);
  for (int step = 0; step < 64 && !input.empty(); ++step) {
    switch (input.below(6)) {
      case 0:
        (void)link::send_greeting(meter, link::kPictureMagic, fd);
        break;
      case 1:
        send_message(meter, input, fd);
        break;
      case 2:
        picture->slots[input.below(2)] = {
            static_cast<std::int32_t>(input.integer()), static_cast<std::int32_t>(input.integer()),
            static_cast<std::uint32_t>(input.integer()), static_cast<std::uint32_t>(input.integer())};
        break;
      case 3:
        picture->sequence.store(static_cast<std::uint32_t>(input.integer()));
        picture->visible.store(static_cast<std::uint32_t>(input.integer()));
        break;
      case 4:
        picture->heartbeat.store(input.take<std::uint8_t>() % 2 == 0 ? time : Moment{Nanoseconds(input.integer())});
        picture->version = input.take<std::uint8_t>();
        break;
      default:
        time += 30 * kMillisecond;
        present();
        const link::Shown shown = probe.picture();
        if (shown.pixels == nullptr) break;
        const std::uint64_t size = std::uint64_t{shown.slot.width} * shown.slot.height * 4;
        require(size > 0 && size <= link::kSlotBytes);
        [[maybe_unused]] volatile unsigned char last = shown.pixels[size - 1];  // readable to its end
    }
  }
  probe.forget();
  for (int descriptor : {meter, fd, ring}) {
    if (descriptor >= 0) ::close(descriptor);
  }
  link::unmap(memory);
}

void control(std::string_view bytes) {
  Offline offline;
  FrameEntry frame;
  frame.width = frame.height = 64;
  int lines = 0, answers = 0;
  while (!bytes.empty() && lines < 32) {
    const std::size_t end = std::min(bytes.find('\n'), bytes.size());
    offline.now += 30 * kMillisecond;
    frame.present = offline.now;
    offline.handed->frames.push_back(frame);
    ++lines;
    const auto take = [&](const MeterAnswer& answer) {
      ++answers;
      const std::string json = to_json(answer);
      require(json.find('\n') == std::string::npos && nlohmann::json::accept(json));
      require(to_json(answer_from_json(json)) == json);
    };
    try {  // the other way, as a watcher reads it
      const std::string update = to_json(update_from_json(bytes.substr(0, end)));
      require(to_json(update_from_json(update)) == update);
    } catch (const Error&) {
    }
    try {
      offline.session.obey(command_from_json(bytes.substr(0, end)), take);
    } catch (const Error& error) {
      take(MeterAnswer{.error = error.what()});
    }
    offline.session.tick();
    bytes.remove_prefix(std::min(end + 1, bytes.size()));
  }
  offline.now += 10 * kSecond;
  offline.session.tick();
  require(answers == lines);
}

}  // namespace idlemeter::fuzz
