// Readings over time from any table, and what was played while a log went on.
#include "idlemeter/runs/reading_table.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <gtest/gtest.h>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/insight/runs_during.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

/// "GPU power W 0:5.5 1:6": each series with its unit, its moments in seconds and values.
std::string text_of(const ReadingTable& table) {
  std::string text;
  for (const RunSeries& one : table.series) {
    text += fmt::format("{}{}{}", text.empty() ? "" : " | ", one.info.title,
                        one.info.unit == Unit::none ? "" : fmt::format(" [{}]", symbol(one.info.unit)));
    for (std::size_t i = 0; i < one.at.size(); ++i) {
      const auto number = idlemeter::number(one.values[i]);
      text += fmt::format(" {:g}:{}", in_seconds(one.at[i].time_since_epoch()),
                          number ? fmt::format("{:g}", *number) : std::get<std::string>(one.values[i]));
    }
  }
  return text;
}

TEST(ReadingTable, ReadsTablesOfAnyForm) {
  const struct {
    const char* text;
    ReadingTableFormat format;
    const char* read;
    std::uint64_t broken = 0;
  } cases[] = {
      {"time (s),GPU power (W),Mode\n10,5.5,quiet\n11,6,quiet\n12.5,,loud\n",
       {},
       "GPU power [W] 0:5.5 1:6 | Mode 0:quiet 2.5:loud"},
      {"Time;\"GPU temperature, °C\";x\n0:59;71,5;1\n1:00;72,25;2\n",
       {},
       "GPU temperature [°C] 0:71.5 1:72.25 | x 0:1 1:2"},
      {"timestamp\tload [%]\n1700000000000\t5\n1700000001500\t6\n", {}, "load [%] 0:5 1.5:6"},
      {"date,a\n2026-11-27 23:59:59.5,1\n2026-11-28T00:00:01Z,2\n", {}, "a 0:1 1.5:2"},
      {"a,b\n1,2\n3,4\n", {.every = 2 * kSecond}, "a 0:1 2:3 | b 0:2 2:4"},
      {"when,a (made up)\n500,1\n1500,2\n", {.time = {"WHEN", LogUnit::millisecond, {}}}, "a (made up) 0:1 1:2"},
      {"x,when\n1,0\n2,1\n", {.time = {"2", {}, {}}}, "x 0:1 1:2"},
      {"# made up\n\nt,a,a,\n1,1,2,3\nx,1,2,3\n0,4,5,6\n2,7,8\n", {}, "a 0:1 1:7 | a again 0:2 1:8 | column 4 0:3", 2},
      {"time,a\n0,nan\n1,x\n2,5\n", {}, "a 0:nan 1:x 2:5"},
      {"time,a\n0,5\n1,x\n2,inf\n3,7\n", {}, "a 0:5 3:7"},
      {"\xff\xfet\0,\0a\0\n\0001\0,\0002\0\n\0", {}, "a 0:2"}};
  for (const auto& one : cases) {
    const std::string bytes =
        one.text[0] == '\xff' ? std::string("\xff\xfet\0,\0a\0\n\0001\0,\0002\0\n\0", 18) : one.text;
    const ReadingTable table = parse_reading_table(bytes, "table", one.format);
    EXPECT_EQ(text_of(table), one.read);
    EXPECT_EQ(table.broken, one.broken) << one.text;
  }
  const std::pair<const char*, const char*> refused[] = {
      {"", "table: there is no table in it"},
      {"time,a\n", "there is no table in it"},
      {"a,b\n1,2\n", "no column says when a line's values were taken; there are: a, b"},
      {"time,a\nx,1\ny,2\n", "no line of it could be read"}};
  for (const auto& [text, why] : refused) {
    try {
      (void)parse_reading_table(text, "table");
      ADD_FAILURE() << text;
    } catch (const Error& error) {
      EXPECT_NE(std::string(error.what()).find(why), std::string::npos) << error.what();
    }
  }
  EXPECT_THROW((void)parse_reading_table("time,a\n0,1\n", "table", {.time = {"tiem", {}, {}}}), Error);
  EXPECT_THROW((void)load_reading_table("/nowhere/table.csv"), Error);
}

TEST(RunsDuring, AreThoseThatOverlap) {
  const auto run = [](std::int64_t id, const char* started, double seconds, const char* game) {
    RunInfo info;
    info.id = id;
    info.started = started;
    info.length = from_seconds(seconds);
    info.details.game = game;
    return info;
  };
  const RunInfo log = run(4, "2026-11-26T23:59:00Z", 600, "");
  const std::vector<RunInfo> all = {run(1, "2026-11-26T23:00:00Z", 60, "before"),
                                    run(2, "2026-11-27T00:08:30Z", 60, "across its end"),
                                    run(3, "2026-11-26T23:58:30Z", 60, "Tidepool Rally"),
                                    log,
                                    run(5, "2026-11-27T00:09:00Z", 60, "after"),
                                    run(6, "soon", 60, "no time"),
                                    run(7, "2026-11-27T00:01:00Z", 30, "")};
  EXPECT_EQ(meanwhile_words(runs_during(all, log)),
            "Meanwhile: run 3, Tidepool Rally, from 0:00 to 0:30; run 7, from 2:00 to 2:30; run 2, across its end, "
            "from 9:30 to 10:30.");
  EXPECT_EQ(meanwhile_words({}), "");
}

}  // namespace
}  // namespace idlemeter
