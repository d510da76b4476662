// Files that are whole or not there.
#include "base/unnamed_file.hpp"

#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <filesystem>
#include <string_view>

#include "folder.hpp"
#include "idlemeter/base/file.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;
using base::UnnamedFile;
using testing::Folder;
using testing::text_of;

void write(const UnnamedFile& file, std::string_view text) {
  ASSERT_EQ(::write(file.descriptor(), text.data(), text.size()), static_cast<ssize_t>(text.size()));
}

std::size_t files_in(const fs::path& folder) {
  return static_cast<std::size_t>(std::distance(fs::directory_iterator(folder), fs::directory_iterator()));
}

TEST(UnnamedFile, IsThereOnceItIsKept) {
  const Folder folder;
  const fs::path old = folder.file("old", "as it was");
  fs::permissions(old, fs::perms::owner_read | fs::perms::owner_write | fs::perms::group_read);
  for (const char* name : {"old", "new"}) {
    const std::size_t before = files_in(folder.path());
    {
      UnnamedFile file(folder / name);
      ASSERT_EQ(file.error(), 0);
      write(file, "whole");
      EXPECT_EQ(files_in(folder.path()), before);
      EXPECT_EQ(text_of(old), "as it was");
    }
    EXPECT_EQ(files_in(folder.path()), before) << "it wasn't kept";
  }
  for (const char* name : {"old", "new"}) {
    UnnamedFile file(folder / name);
    write(file, "whole");
    EXPECT_EQ(file.keep(), 0);
    EXPECT_EQ(text_of(folder / name), "whole");
  }
  EXPECT_EQ(files_in(folder.path()), 2u);
  EXPECT_EQ(fs::status(old).permissions(), fs::perms::owner_read | fs::perms::owner_write | fs::perms::group_read);
}

TEST(UnnamedFile, GoesWhereLinksLead) {
  const Folder folder;
  fs::create_directory(folder / "far");
  fs::create_symlink("far/target", folder / "near");
  fs::create_symlink("near", folder / "link");
  for (const char* text : {"first", "second"}) {  // a link to nothing, then to a file
    UnnamedFile file(folder / "link");
    write(file, text);
    EXPECT_EQ(file.keep(), 0);
    EXPECT_TRUE(fs::is_symlink(folder / "link") && fs::is_symlink(folder / "near"));
    EXPECT_EQ(text_of(folder / "far/target"), text);
  }
}

TEST(UnnamedFile, SaysWhyItCannotBe) {
  const Folder folder;
  fs::create_directory(folder / "folder");
  const std::pair<fs::path, int> cases[] = {{folder / "nowhere/file", ENOENT},
                                            {folder / "folder", EISDIR},
                                            {"/dev/null", EEXIST},
                                            {folder.file("file", "") / "below", ENOTDIR}};
  for (const auto& [target, error] : cases) EXPECT_EQ(UnnamedFile(target).error(), error) << target;
  UnnamedFile lost(folder / "folder/file");
  fs::remove(folder / "folder");
  EXPECT_EQ(lost.keep(), ENOENT);
}

TEST(UnnamedFile, OfAKilledProcessIsNoHindrance) {
  const Folder folder;
  constexpr const char* kGone = "99999999";  // beyond the largest number of a process
  for (const char* ending : {".1.part", ".1.part-wal"}) {
    const fs::path left = folder.file(std::string(".idlemeter.") + kGone + ending, "half");
    fs::last_write_time(left, fs::file_time_type::clock::now() - std::chrono::minutes(2));
  }
  folder.file(std::string(".idlemeter.") + kGone + ".2.part", "another, a moment ago");
  folder.file(".idlemeter." + std::to_string(::getpid()) + ".part", "of one that runs");
  EXPECT_EQ(write_whole_file(folder / "name", "whole"), "");
  EXPECT_EQ(text_of(folder / "name"), "whole");
  EXPECT_EQ(files_in(folder.path()), 3u);
}

TEST(UnnamedFile, FollowsNoLinkThatSomebodyElseHasPutBeforeIt) {
  if (::geteuid() != 0) GTEST_SKIP() << "only root can make somebody else's link";
  const Folder folder;
  constexpr uid_t kNobody = 65'534;
  const fs::path open = folder / "open", victim = folder.file("victim", "mine");
  fs::create_directory(open);
  ASSERT_EQ(::chmod(open.c_str(), 01777), 0);
  fs::create_symlink(victim, open / "out.csv");
  ASSERT_EQ(::lchown((open / "out.csv").c_str(), kNobody, kNobody), 0);
  EXPECT_EQ(UnnamedFile(open / "out.csv").error(), EACCES);
  EXPECT_EQ(write_whole_file(open / "out.csv", "theirs"), "Permission denied");
  EXPECT_EQ(text_of(victim), "mine");
  fs::create_symlink(open / "circle", open / "circle");
  EXPECT_EQ(UnnamedFile(open / "circle").error(), ELOOP);
}

TEST(UnnamedFile, FitsBesideTheLongestName) {
  const Folder folder;
  const std::string name(255, 'n');
  EXPECT_EQ(write_whole_file(folder / name, "whole"), "");
  EXPECT_EQ(write_whole_file(folder / (name + "n"), "whole"), "File name too long");
}

}  // namespace
}  // namespace idlemeter
