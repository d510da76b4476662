// What is known of a process by its number.
#include "idlemeter/meter/process.hpp"

#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>

namespace idlemeter {
namespace {

TEST(Process, IsKnownByItsNumber) {
  int ready[2];
  ASSERT_EQ(::pipe(ready), 0);
  const pid_t child = ::fork();
  if (child == 0) {
    ::setpgid(0, 0);
    ::dup2(ready[1], 1);
    ::execl("/usr/bin/env", "env", "IDLEMETER_TEST_MARK=seaweed", "sh", "-c", "echo; sleep 60; true", nullptr);
    ::_exit(127);
  }
  char byte = 0;
  ASSERT_EQ(::read(ready[0], &byte, 1), 1);
  EXPECT_TRUE(is_running(child));
  EXPECT_EQ(name_of_process(child), "sh");
  EXPECT_EQ(executable_of(child), std::filesystem::canonical("/bin/sh"));
  EXPECT_EQ(variable_of(child, "IDLEMETER_TEST_MARK"), "seaweed");
  EXPECT_EQ(variable_of(child, "IDLEMETER_TEST"), "") << "the whole name";
  EXPECT_TRUE(is_anywhere("IDLEMETER_TEST_MARK", "seaweed"));
  EXPECT_FALSE(is_anywhere("IDLEMETER_TEST_MARK", "kelp"));
  EXPECT_TRUE(descends_from(child, ::getpid()));
  EXPECT_TRUE(descends_from(child, child));
  EXPECT_FALSE(descends_from(::getpid(), child));
  ::kill(-child, SIGKILL);
  ::waitpid(child, nullptr, 0);
  EXPECT_FALSE(is_running(child));
  EXPECT_EQ(name_of_process(child), "process " + std::to_string(child));
  EXPECT_EQ(executable_of(child), "");
  EXPECT_EQ(variable_of(child, "PATH"), "");
  ::close(ready[0]);
  ::close(ready[1]);
}

}  // namespace
}  // namespace idlemeter
