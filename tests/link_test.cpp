// The link, with an honest other side and with one that writes nonsense.
#include <gtest/gtest.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <iterator>
#include <random>

#include "base/local_socket.hpp"
#include "base/private_socket.hpp"
#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "link/meter_end.hpp"
#include "link/probe_end.hpp"

namespace idlemeter::link {
namespace {

using namespace base;

class Link : public ::testing::Test {
 protected:
  Link() {
    path_ = folder_ / "session/a.link";
    listening_ = listen_privately(path_);
    ::setenv(kVariable, path_.c_str(), 1);
  }
  ~Link() override { ::close(listening_); }

  int accept() const { return ::accept4(listening_, nullptr, nullptr, SOCK_NONBLOCK | SOCK_CLOEXEC); }

  static FrameEntry frame(Moment at) {
    FrameEntry entry;
    entry.present = at;
    return entry;
  }

  /// Both ends, greeted.
  MeterEnd greet(ProbeEnd& probe) {
    const Moment start = monotonic_now();
    probe.add(frame(start), {Api::opengl, 4, 5});
    MeterEnd meter(accept());
    EXPECT_TRUE(meter.receive());
    EXPECT_TRUE(meter.linked());
    probe.add(frame(start + 30 * kMillisecond), {Api::opengl, 4, 5});
    return meter;
  }

  idlemeter::testing::Folder folder_;
  std::filesystem::path path_;
  int listening_ = -1;
};

TEST_F(Link, CarriesFramesOneWayAndPicturesTheOther) {
  ProbeEnd probe;
  MeterEnd meter = greet(probe);
  std::vector<FrameEntry> frames;
  EXPECT_EQ(meter.drain(frames), 0u);
  EXPECT_EQ(frames.size(), 2u) << "also what was presented before the meter answered";
  EXPECT_EQ(meter.graphics().api, Api::opengl);
  EXPECT_EQ(meter.graphics().major, 4u);
  EXPECT_EQ(probe.picture().pixels, nullptr);
  const auto publish = [&](unsigned char shade) {
    std::fill_n(meter.begin_picture(), 4 * 6, shade);
    meter.publish({10, 20, 2, 3});
  };
  publish(7);
  meter.show(true);
  meter.beat(monotonic_now());
  probe.add(frame(monotonic_now()), {Api::opengl, 4, 5});
  Shown shown = probe.picture();
  ASSERT_NE(shown.pixels, nullptr);
  EXPECT_EQ(shown.slot.x, 10);
  EXPECT_EQ(shown.pixels[23], 7);
  publish(9);
  EXPECT_FALSE(probe.still_whole(shown.id)) << "a newer one is there";
  EXPECT_EQ(probe.picture().pixels[0], 9);
  meter.show(false);
  EXPECT_EQ(probe.picture().pixels, nullptr);
  meter.show(true);
  probe.add(frame(monotonic_now() + 2 * kStale), {Api::opengl, 4, 5});
  EXPECT_EQ(probe.picture().pixels, nullptr) << "a meter that gives no sign";
}

TEST_F(Link, TheEndOfAProbeIsSeenHoweverItComes) {
  for (const bool answer_is_read : {true, false}) {  // unread, the socket's end is an error instead of an end of file
    const int client = connect_to(path_.c_str());
    int fd = -1, picture = -1;
    Mapping memory = make_region("ring", sizeof(Ring), fd);
    new (memory.data) Ring;
    ASSERT_TRUE(send_greeting(client, kRingMagic, fd));
    MeterEnd meter(accept());
    ASSERT_TRUE(meter.receive());
    if (answer_is_read) {
      EXPECT_EQ(receive_greeting(client, kPictureMagic, picture), Greeted::yes);
    }
    EXPECT_TRUE(meter.receive());
    ::close(client);
    EXPECT_FALSE(meter.receive()) << answer_is_read;
    ::close(fd);
    ::close(picture);
    unmap(memory);
  }
}

TEST_F(Link, ANewMetersFirstPictureIsAnother) {
  ProbeEnd probe;
  std::vector<std::uint64_t> ids;
  for (const int later : {0, 10, 20}) {  // seconds: the probe looks for another meter once it misses the one before
    const Moment start = monotonic_now() + later * kSecond;
    for (int i = 0; i < 3; ++i) probe.add(frame(start + i * kSecond), {Api::opengl, 4, 5});
    MeterEnd meter(accept());
    ASSERT_TRUE(meter.receive());
    probe.add(frame(start + 5 * kSecond), {Api::opengl, 4, 5});
    (void)meter.begin_picture();
    meter.publish({0, 0, 1, 1});
    meter.show(true);
    meter.beat(start + 5 * kSecond);
    ids.push_back(probe.picture().id);
  }
  EXPECT_NE(ids[0], 0u);
  EXPECT_NE(ids[0], ids[1]);
  EXPECT_NE(ids[1], ids[2]);
}

TEST_F(Link, WhatIsOverwrittenIsCounted) {
  ProbeEnd probe;
  MeterEnd meter = greet(probe);
  for (std::uint32_t i = 0; i < 3 * kRingCapacity; ++i) probe.add(frame(monotonic_now()), {Api::opengl, 4, 5});
  std::vector<FrameEntry> frames;
  const std::uint32_t lost = meter.drain(frames);
  EXPECT_EQ(lost + frames.size(), 3 * kRingCapacity + 2);
  EXPECT_GT(frames.size(), kRingCapacity / 2);
}

TEST_F(Link, IsOpenToThisUserAlone) {
  struct stat about {};
  ASSERT_EQ(::stat(path_.parent_path().c_str(), &about), 0);
  EXPECT_EQ(about.st_mode & 0777, 0700u);
  ASSERT_EQ(::stat(path_.c_str(), &about), 0);
  EXPECT_EQ(about.st_mode & 0777, 0600u);
  const pid_t stranger = ::fork();
  if (stranger == 0) {
    if (::setuid(65534) != 0) ::_exit(0);  // not root: there is nobody to play
    ::_exit(connect_to(path_.c_str()) < 0 ? 0 : 1);
  }
  int status = -1;
  ::waitpid(stranger, &status, 0);
  EXPECT_EQ(status, 0);
}

/// Memory that the other side could still truncate.
int unsealed(std::size_t size) {
  const int fd = ::memfd_create("open", MFD_CLOEXEC | MFD_ALLOW_SEALING);
  EXPECT_EQ(::ftruncate(fd, static_cast<off_t>(size)), 0);
  return fd;
}

TEST_F(Link, MemoryThatIsNotSealedOrNotOfTheRightSizeIsRefused) {
  EXPECT_EQ(map_region(unsealed(sizeof(Ring)), sizeof(Ring)).data, nullptr);
  int fd = -1;
  Mapping small = make_region("small", 4096, fd);
  EXPECT_EQ(map_region(fd, sizeof(Ring)).data, nullptr);
  unmap(small);
  EXPECT_EQ(map_region(-1, 4096).data, nullptr);
  for (std::uint32_t magic : {kRingMagic, 0u, kPictureMagic}) {
    const int client = connect_to(path_.c_str());
    MeterEnd meter(accept());
    const int open = unsealed(sizeof(Ring));
    ASSERT_TRUE(send_greeting(client, magic, open));
    EXPECT_FALSE(meter.receive()) << magic;
    EXPECT_FALSE(meter.linked());
    ::close(open);
    ::close(client);
  }
}

TEST_F(Link, ABadGreetingIsRefused) {
  std::mt19937 random(1);
  for (int i = 0; i < 300; ++i) {
    const int client = connect_to(path_.c_str());
    MeterEnd meter(accept());
    std::vector<unsigned char> bytes(1 + random() % 64);
    for (unsigned char& byte : bytes) byte = static_cast<unsigned char>(random());
    ASSERT_GT(::send(client, bytes.data(), bytes.size(), MSG_NOSIGNAL), 0);
    EXPECT_FALSE(meter.receive());
    ::close(client);
  }
}

std::size_t open_descriptors() {
  return static_cast<std::size_t>(std::distance(std::filesystem::directory_iterator("/proc/self/fd"), {}));
}

TEST_F(Link, DescriptorsThatNobodyAskedForAreClosed) {
  for (const std::size_t count : {0u, 2u, 3u, 8u, 60u}) {
    const int client = connect_to(path_.c_str());
    int fd = -1;
    Mapping memory = make_region("ring", sizeof(Ring), fd);
    new (memory.data) Ring;
    const std::size_t before = open_descriptors();
    {
      MeterEnd meter(accept());
      Greeting greeting{kRingMagic};
      const std::vector<int> many(count, fd);
      std::vector<unsigned char> control(CMSG_SPACE(60 * sizeof(int)));
      iovec part{&greeting, sizeof greeting};
      msghdr message{};
      message.msg_iov = &part;
      message.msg_iovlen = 1;
      if (count > 0) {
        message.msg_control = control.data();
        message.msg_controllen = CMSG_SPACE(count * sizeof(int));
        cmsghdr* header = CMSG_FIRSTHDR(&message);
        header->cmsg_level = SOL_SOCKET;
        header->cmsg_type = SCM_RIGHTS;
        header->cmsg_len = CMSG_LEN(count * sizeof(int));
        std::copy_n(reinterpret_cast<const unsigned char*>(many.data()), count * sizeof(int), CMSG_DATA(header));
      }
      ASSERT_EQ(::sendmsg(client, &message, 0), static_cast<ssize_t>(sizeof greeting));
      EXPECT_FALSE(meter.receive()) << count;
    }
    EXPECT_EQ(open_descriptors(), before) << count;
    ::close(client);
    ::close(fd);
    unmap(memory);
  }
}

TEST_F(Link, WithoutDescriptorsLeftPeersAreTurnedAway) {
  PrivateListener listener(folder_ / "session/b.link");
  std::vector<int> clients;
  for (int i = 0; i < 3; ++i) clients.push_back(connect_to((folder_ / "session/b.link").c_str()));
  rlimit before{};
  ASSERT_EQ(::getrlimit(RLIMIT_NOFILE, &before), 0);
  const rlimit none{static_cast<rlim_t>(clients.back()) + 1, before.rlim_max};
  ASSERT_EQ(::setrlimit(RLIMIT_NOFILE, &none), 0);
  while (::dup(0) >= 0) {
  }
  EXPECT_EQ(listener.accept(), -1);
  EXPECT_EQ(listener.accept(), -1);
  ASSERT_EQ(::setrlimit(RLIMIT_NOFILE, &before), 0);
  char byte = 0;
  for (int i : {0, 1}) EXPECT_EQ(::recv(clients[static_cast<std::size_t>(i)], &byte, 1, MSG_DONTWAIT), 0) << "it knows";
  EXPECT_GE(listener.accept(), 0) << "the next one comes in as before";
}

TEST_F(Link, ASocketWithABusyListenerCountsAsInUse) {
  std::vector<int> crowd;
  for (int i = 0; i < 64; ++i) crowd.push_back(connect_to(path_.c_str()));  // more than may wait at the door
  EXPECT_THROW((void)listen_privately(path_), Error);
  for (int client : crowd) ::close(client);
}

/// A probe that writes anything.
TEST_F(Link, SurvivesNonsenseInTheRing) {
  const int client = connect_to(path_.c_str());
  int fd = -1;
  Mapping memory = make_region("ring", sizeof(Ring), fd);
  auto* ring = new (memory.data) Ring;
  ASSERT_TRUE(send_greeting(client, kRingMagic, fd));
  MeterEnd meter(accept());
  ASSERT_TRUE(meter.receive());
  std::mt19937_64 random(2);
  for (int i = 0; i < 300; ++i) {
    ring->written.store(static_cast<std::uint32_t>(random()));
    ring->api = static_cast<Api>(random());
    ring->api_major = static_cast<std::uint32_t>(random());
    ring->entries[random() % kRingCapacity].present = Moment{Nanoseconds(random())};
    std::vector<FrameEntry> frames;
    (void)meter.drain(frames);
    EXPECT_LE(frames.size(), kRingCapacity);
    EXPECT_LE(meter.graphics().api, Api::vulkan);
  }
  ::close(fd);
  ::close(client);
  unmap(memory);
}

/// A meter that writes anything.
TEST_F(Link, NonsenseInThePictureIsNotShown) {
  ProbeEnd probe;
  const Moment start = monotonic_now();
  probe.add(frame(start), {Api::opengl, 4, 5});
  const int client = accept();
  int ring = -1, fd = -1;
  ASSERT_EQ(receive_greeting(client, kRingMagic, ring), Greeted::yes);
  Mapping memory = make_region("picture", kPictureBytes, fd);
  auto* picture = new (memory.data) Picture;
  ASSERT_TRUE(send_greeting(client, kPictureMagic, fd));
  probe.add(frame(start + 30 * kMillisecond), {Api::opengl, 4, 5});
  std::mt19937_64 random(3);
  picture->visible.store(1);
  const auto* begin = static_cast<const unsigned char*>(nullptr);
  for (int i = 0; i < 2'000; ++i) {
    picture->heartbeat.store(start + 30 * kMillisecond);
    picture->sequence.store(static_cast<std::uint32_t>(random()));
    for (Slot& slot : picture->slots) {
      const std::uint64_t most = i % 2 == 0 ? ~0ull : 9'000;
      slot = {static_cast<std::int32_t>(random() % most), static_cast<std::int32_t>(random() % most),
              static_cast<std::uint32_t>(random() % most), static_cast<std::uint32_t>(random() % most)};
    }
    const Shown shown = probe.picture();
    if (shown.pixels == nullptr) continue;
    const std::uint64_t bytes = std::uint64_t{shown.slot.width} * shown.slot.height * 4;
    EXPECT_LE(bytes, kSlotBytes);
    begin = shown.pixels;
    volatile unsigned char last = begin[bytes - 1];  // readable to its end
    (void)last;
  }
  EXPECT_NE(begin, nullptr) << "some were sensible";
  ::close(client);
  ::close(ring);
  ::close(fd);
  unmap(memory);
}

}  // namespace
}  // namespace idlemeter::link
