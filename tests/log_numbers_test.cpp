// Numbers of logs as exact nanoseconds, against another way to work them out; lines and columns by themselves.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "runs/tables/decimal.hpp"
#include "runs/tables/log_columns.hpp"
#include "runs/tables/text_lines.hpp"
#include "stores.hpp"

namespace idlemeter::runs {
namespace {

using testing::message_of;

std::optional<std::int64_t> read(std::string_view text, int scale, char point = '.') {
  Nanoseconds into{};
  return exact_nanoseconds(text, point, scale, into) ? std::optional<std::int64_t>(into.count()) : std::nullopt;
}

TEST(ExactNanoseconds, ReadWhatANumberSays) {
  const struct {
    const char* text;
    int scale;
    std::optional<std::int64_t> count;
  } cases[] = {{"16.6834", 6, 16'683'400},
               {"16", 6, 16'000'000},
               {"0.000001", 6, 1},
               {"0.0000015", 6, 2},
               {"0.0000014", 6, 1},
               {".5", 9, 500'000'000},
               {"5.", 9, 5'000'000'000},
               {"-3.25", 3, -3'250},
               {"+3.25", 3, 3'250},
               {"000012.5", 3, 12'500},
               {"1e3", 6, 1'000'000'000},
               {"1.5E-3", 9, 1'500'000},
               {"0.1234567890123456789", 9, 123'456'789},
               {"12345678901234567890", 0, std::nullopt},
               {"3155760000", 9, 3'155'760'000'000'000'000},
               {"3155760001", 9, std::nullopt},
               {"-3155760001", 9, std::nullopt},
               {"1e300", 0, std::nullopt},
               {"", 6, std::nullopt},
               {".", 6, std::nullopt},
               {"-", 6, std::nullopt},
               {"+-1", 6, std::nullopt},
               {"1.2.3", 6, std::nullopt},
               {"1,5", 6, std::nullopt},
               {"nan", 6, std::nullopt},
               {"inf", 6, std::nullopt},
               {"0x10", 6, std::nullopt},
               {"12 ", 6, std::nullopt},
               {"1e", 6, std::nullopt}};
  for (const auto& one : cases) EXPECT_EQ(read(one.text, one.scale), one.count) << one.text;
  EXPECT_EQ(read("16,5", 6, ','), 16'500'000);
  EXPECT_EQ(read("16.5", 6, ','), std::nullopt);
  EXPECT_EQ(read("1,5e1", 6, ','), 15'000'000);
}

/// By whole numbers of 128 bits, which hold every one of these.
TEST(ExactNanoseconds, AreThoseOfTheNaiveVersion) {
  std::mt19937_64 random(13);
  for (int turn = 0; turn < 20'000; ++turn) {
    const int whole = static_cast<int>(random() % 7), fraction = static_cast<int>(random() % 11),
              scale = 3 * static_cast<int>(random() % 4);
    std::string text = random() % 4 == 0 ? "-" : "";
    __extension__ __int128 digits = 0;
    for (int i = 0; i < whole + fraction; ++i) {
      if (i == whole) text += '.';
      const int digit = static_cast<int>(random() % 10);
      digits = 10 * digits + digit;
      text += static_cast<char>('0' + digit);
    }
    if (whole + fraction == 0) continue;
    for (int i = fraction; i < scale; ++i) digits *= 10;
    __extension__ __int128 unit = 1;
    for (int i = scale; i < fraction; ++i) unit *= 10;
    const auto rounded = static_cast<std::int64_t>((2 * digits + unit) / (2 * unit));  // half away from zero
    EXPECT_EQ(read(text, scale), text.front() == '-' ? -rounded : rounded) << text << " by " << scale;
  }
}

TEST(ClockNanoseconds, CountHoursMinutesAndSeconds) {
  const std::pair<const char*, std::optional<double>> cases[] = {{"1:02:03.5", 3'723.5},
                                                                 {"2:03", 123},
                                                                 {"0:00:00.000000001", 1e-9},
                                                                 {"100:00:00", 360'000},
                                                                 {":5", std::nullopt},
                                                                 {"1:", std::nullopt},
                                                                 {"1:-2", std::nullopt},
                                                                 {"1:2:61", std::nullopt},
                                                                 {"-1:00", std::nullopt},
                                                                 {"a:00", std::nullopt},
                                                                 {"66666666:01:00", std::nullopt},
                                                                 {"1:1:1:1:1:1:1:1", std::nullopt}};
  for (const auto& [text, seconds] : cases) {
    Nanoseconds into{};
    const bool is_time = clock_nanoseconds(text, '.', into);
    EXPECT_EQ(is_time, seconds.has_value()) << text;
    if (is_time) {
      EXPECT_EQ(into.count(), std::llround(*seconds * 1e9)) << text;
    }
  }
}

TEST(TextLines, EndWhereALineEnds) {
  const struct {
    std::string text;
    std::vector<std::string> lines;
  } cases[] = {{"", {}},
               {"a", {"a"}},
               {"a\n", {"a"}},
               {"a\r\nb\r\n", {"a", "b"}},
               {"\n\na", {"", "", "a"}},
               {"a\rb", {"a\rb"}},
               {std::string("\xFF\xFE"
                            "a\0\n\0"
                            "\x3c\xd8\xae\xdf",
                            10),
                {"a", "\xf0\x9f\x8e\xae"}},  // a surrogate pair
               {std::string("\xFF\xFE"
                            "a\0\x00\xd8",
                            6),
                {"a?"}},  // half of one
               {std::string("\xFE\xFF\0a", 4), {"a"}}};
  for (const auto& one : cases) {
    TextLines lines(one.text, "text");
    std::vector<std::string> read;
    while (const auto line = lines.next()) {
      read.emplace_back(*line);
      EXPECT_EQ(lines.number(), read.size());
    }
    EXPECT_EQ(read, one.lines);
  }
}

TEST(TextLines, CutOneThatNeverEnds) {
  const std::string text = "short\n" + std::string(3 * 1'024 * 1'024, 'x') + "\nlast";
  TextLines lines(text, "text");
  EXPECT_EQ(lines.next(), "short");
  EXPECT_EQ(lines.next()->size(), 1'024u * 1'024u);
  EXPECT_EQ(lines.next(), "last");
  EXPECT_EQ(lines.number(), 3u);
  EXPECT_FALSE(lines.next());
}

TEST(Fields, AreWhatStandsBetweenDelimiters) {
  const struct {
    const char* line;
    bool whole;
    std::vector<std::string_view> fields;
  } cases[] = {{"a,b", true, {"a", "b"}},
               {"", true, {""}},
               {",", true, {"", ""}},
               {"\"a,b\",c", true, {"a,b", "c"}},
               {"\"say \"\"hi\"\"\",c", true, {"say \"hi\"", "c"}},
               {"\"\",c", true, {"", "c"}},
               {"a\"b,c", true, {"a\"b", "c"}},
               {"\"a\" rest,c", true, {"a", "c"}},
               {"a,\"b", false, {"a"}}};
  for (const auto& one : cases) {
    std::vector<std::string_view> fields;
    std::string unquoted;
    EXPECT_EQ(fields_of(one.line, ',', fields, unquoted), one.whole) << one.line;
    EXPECT_EQ(fields, one.fields) << one.line;
  }
}

TEST(LogPlan, FindsHeadingColumnsAndUnits) {
  const struct {
    std::vector<std::string> lines;
    FrameLogFormat asked;
    const char* what;  ///< delimiter, heading lines, then column:unit of frame time, time, GPU work, split
  } cases[] = {{{"run,presented (s),frame time (ms),GPU work (ms)", "1,0.01,10,9"}, {}, ", 1 2:ms 1:s 3:ms 0:"},
               {{"Frame Time [us]\tElapsed (ms)", "16000\t16"}, {}, "\t 1 0:us 1:ms - -"},
               {{"CPU frame time,GPU frame time,frame time", "1,2,16"}, {}, ", 1 2:ms - 1:ms -"},
               {{"a tool", "x;y", "frame_time;note", "0.016;z"}, {}, "; 3 0:s - - -"},
               {{"frame interval (us)|n", "16000|1"}, {}, "| 1 0:us - - -"},
               {{"1", "2", "3"}, {}, ", 0 0:ms - - -"},
               {{"note;16.5;x", "note;17;x"}, {.frame_time = {"2"}}, "; 0 1:ms - - -"},
               {{"a;b;c", "x;16.5;y"}, {.frame_time = {"2"}}, "; 1 1:ms - - -"},
               {{"time,fps", "1000,60", "1016,60"}, {.frame_time = {"fps"}}, ", 1 1:fps 0:ms - -"},
               {{"time", "1700000000000000000", "1700000000016000000"}, {}, ", 1 - 0:ns - -"},
               {{"Process,frame time (ms)", "a,16"}, {.split = {"process"}}, ", 1 1:ms - - 0:"}};
  for (const auto& one : cases) {
    const LogPlan plan = plan_of(one.lines, one.asked, "log");
    std::string what = fmt::format("{} {}", plan.format.delimiter, plan.heading_lines);
    for (const LogColumn* column :
         {&plan.format.frame_time, &plan.format.time, &plan.format.gpu_work, &plan.format.split})
      what += column->at ? fmt::format(" {}:{}", *column->at, column->unit ? name_of(*column->unit) : "") : " -";
    EXPECT_EQ(what, one.what) << one.lines.front();
  }
  EXPECT_NE(message_of([] {
              (void)plan_of({"time", "5", "905", "1805"}, {}, "log");
            }).find("what unit the moments"),
            std::string::npos);
}

TEST(LogUnits, AreKnownByManyNames) {
  for (const auto& [text, name] : {std::pair{"ms", "ms"},
                                   {"MSEC", "ms"},
                                   {"µs", "us"},
                                   {"μs", "us"},
                                   {"Seconds", "s"},
                                   {"FPS", "fps"},
                                   {"ns", "ns"}})
    EXPECT_EQ(name_of(log_unit_from(text).value()), name);
  EXPECT_FALSE(log_unit_from("m"));
  EXPECT_FALSE(log_unit_from(""));
}

}  // namespace
}  // namespace idlemeter::runs
