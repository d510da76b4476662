// The report without a browser: what is in the page, and what its plots are drawn from.
#include "idlemeter/report/report_page.hpp"

#include <glib.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <random>
#include <regex>
#include <stdexcept>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using namespace testing;
using nlohmann::json;

const FigureSet kFigures({"frame.average", "frame.low@1%"});

/// Runs in a store, and their reports.
class Pages {
 public:
  /// A run of frames of about so many milliseconds; `spoil` may change them and add readings.
  std::int64_t record(int frames, double ms,
                      RunDetails details = {.game = "Tidepool Rally", .facts = {{"Machine", "Bramble"}}},
                      const std::function<void(Recorder&, FrameRecord&, int)>& spoil = {}) {
    Recorder recorder(store_, details, [] { return Moment{}; });
    Moment at{};
    for (int i = 0; i < frames; ++i) {
      FrameRecord frame{
          {}, from_seconds(ms / 1e3) + Nanoseconds(static_cast<std::int64_t>(random_() % 100'000)), kUnknownTime};
      frame.at = at + frame.interval;
      if (spoil) spoil(recorder, frame, i);
      at = frame.at;
      recorder.add(frame);
    }
    return recorder.finish();
  }

  RunGroup group(const std::string& name, const std::vector<std::int64_t>& ids) {
    RunGroup group{name, {}};
    for (const std::int64_t id : ids) group.runs.push_back(insight_of(store_, id, {.figures = kFigures.request()}));
    return group;
  }

  std::string page(const std::vector<RunGroup>& groups, const ReportOptions& options = {}) {
    return report_page(store_, groups, kFigures, options);
  }

 private:
  Folder folder_;
  Store store_{folder_ / "runs.db"};
  std::mt19937_64 random_{5};
};

/// What stands between two texts.
std::string between(const std::string& page, const std::string& begin, const std::string& end) {
  const std::size_t from = page.find(begin);
  if (from == std::string::npos) return "";
  const std::size_t start = from + begin.size();
  return page.substr(start, page.find(end, start) - start);
}

json data_of(const std::string& page) {
  return json::parse(between(page, "<script type=\"application/json\" id=\"data\">", "</script>"));
}

std::string hash_of(const std::string& text) {
  gsize length = 32;
  std::vector<guint8> digest(length);
  GChecksum* sum = g_checksum_new(G_CHECKSUM_SHA256);
  g_checksum_update(sum, reinterpret_cast<const guchar*>(text.data()), static_cast<gssize>(text.size()));
  g_checksum_get_digest(sum, digest.data(), &length);
  g_checksum_free(sum);
  gchar* base64 = g_base64_encode(digest.data(), length);
  const std::string hash = base64;
  g_free(base64);
  return "'sha256-" + hash + "'";
}

bool has(const std::string& page, const std::string& words) { return page.find(words) != std::string::npos; }

TEST(ReportPage, AllowsItsOwnScriptAndStyleAlone) {
  Pages pages;
  const std::string page = pages.page({pages.group("", {pages.record(600, 10)})});
  const std::string policy = between(page, "Content-Security-Policy\" content=\"", "\"");
  EXPECT_EQ(policy, "default-src 'none'; script-src " + hash_of(between(page, "<script>", "</script>")) +
                        "; style-src " + hash_of(between(page, "<style>", "</style>")) +
                        "; base-uri 'none'; form-action 'none'");
  EXPECT_FALSE(std::regex_search(page.substr(0, page.find("<script")), std::regex(" (style|on[a-z]+)=")))
      << "inline styles and handlers would be refused";
  EXPECT_TRUE(has(page, "<h1>Tidepool Rally on Bramble</h1>"));
  EXPECT_FALSE(has(page, "id=\"comparison\"")) << "of one group";
  EXPECT_TRUE(has(page, "The MIT License"));
}

TEST(ReportPage, HasEveryFrameOfRunsThatFit) {
  Pages pages;
  const auto calm = pages.record(500, 10);
  const auto broken = pages.record(500, 12, {}, [](Recorder&, FrameRecord& frame, int i) {
    if (i == 250) frame.at += 3 * kSecond;  // the game lost its window
  });
  const json data = data_of(pages.page({pages.group("", {calm, broken})}));
  ASSERT_EQ(data["runs"].size(), 2u);
  const json& whole = data["runs"][0]["frames"];
  EXPECT_EQ(whole["us"].size(), 500u);
  EXPECT_EQ(whole["begin_us"], 0);
  EXPECT_FALSE(whole.contains("at_us")) << "moments are sums";
  const json& gap = data["runs"][1]["frames"];
  EXPECT_FALSE(gap.contains("begin_us"));
  ASSERT_EQ(gap["at_us"].size(), 500u);
  EXPECT_NEAR(gap["at_us"][250].get<double>() - gap["at_us"][249].get<double>(), 3'012'050, 100);
  double share = 0;
  for (const json& bin : data["runs"][0]["spread"]) share += bin.get<double>();
  EXPECT_NEAR(share, 100, 0.1);
}

TEST(ReportPage, ThinsLongRunsAndHidesNoSpike) {
  Pages pages;
  const auto run = pages.record(20'000, 5, {}, [](Recorder&, FrameRecord& frame, int i) {
    if (i != 12'345) return;
    frame.at += 90 * kMillisecond;
    frame.interval += 90 * kMillisecond;
  });
  const std::string page = pages.page({pages.group("", {run})}, {.most_frames = 4'000});
  const json frames = data_of(page)["runs"][0]["frames"];
  EXPECT_LE(frames["us"].size(), 4'010u);
  const auto longest = std::max_element(frames["us"].begin(), frames["us"].end());
  EXPECT_NEAR(longest->get<double>(), 95'050, 100);
  EXPECT_TRUE(has(page, "There are too many frames to draw each"));
  EXPECT_TRUE(has(page, "20000 in 101.")) << "figures are of all";
}

TEST(ReportPage, PlotsReadingsThatMoveAndMarks) {
  Pages pages;
  const ReadingInfo mark{.id = "recording.mark", .kind = DeviceKind::frames, .text = true};
  const auto run = pages.record(1'000, 10, {}, [&](Recorder& recorder, FrameRecord& frame, int i) {
    if (i % 50 == 0)
      recorder.add(frame.at, snapshot_of({kLoad, kTemp, kApi}, {42.0, 50 + i / 100.0, std::string("OpenGL")}));
    if (i == 400) recorder.add(frame.at, snapshot_of({mark}, {std::string("boss <fight>")}));
  });
  const std::string page = pages.page({pages.group("", {run})});
  const json data = data_of(page);
  ASSERT_EQ(data["readings"].size(), 1u) << "a load that stands still is no plot, a text neither";
  EXPECT_EQ(data["readings"][0]["id"], kTemp.id);
  const json& samples = data["runs"][0]["readings"][kTemp.id];
  EXPECT_EQ(samples["x"].size(), samples["y"].size());
  EXPECT_DOUBLE_EQ(samples["y"].back().get<double>(), 59.5);
  EXPECT_EQ(data["runs"][0]["marks"][0][1], "boss <fight>");
  EXPECT_FALSE(has(between(page, "id=\"data\">", "</script>"), "<fight>")) << "nothing in it looks like a tag";
}

TEST(ReportPage, ComparesGroupsAndNamesWhatDiffers) {
  Pages pages;
  std::vector<std::int64_t> slow, fast;
  for (int i = 0; i < 4; ++i) {
    slow.push_back(pages.record(
        600, 12, {.game = "Tidepool Rally", .facts = {{"Driver", "1.0"}}, .settings = {{"Preset", "High"}}}));
    fast.push_back(pages.record(
        600, 10, {.game = "Tidepool Rally", .facts = {{"Driver", "1.1"}}, .settings = {{"Preset", "Low"}}}));
  }
  ReportOptions options{.note = "two & two"};
  options.comparison.told = {"Preset"};
  const std::string page = pages.page({pages.group("High", slow), pages.group("Low <b>", fast)}, options);
  EXPECT_TRUE(has(page, "<b><bdi>Low &lt;b&gt;</bdi></b> against <b><bdi>High</bdi></b>: average frame rate <b>+19."))
      << page.substr(0, 200);
  EXPECT_TRUE(has(page, ", faster (95 % interval +"));
  EXPECT_TRUE(has(page, "<p>two &amp; two</p>"));
  const std::string comparison = between(page, "<section id=\"comparison\"", "</section>");
  EXPECT_TRUE(has(comparison, "faster, <b>best</b>"));
  EXPECT_TRUE(has(comparison, "Driver")) << "reported unasked";
  EXPECT_FALSE(has(comparison, "<td>Low</td>")) << "the groups were made by it";
  EXPECT_TRUE(has(comparison, "class=\"whisker\""));
  options.comparison.rules.confidence = 0.8;
  EXPECT_TRUE(has(pages.page({pages.group("High", slow), pages.group("Low", fast)}, options), "(80 % interval"));
}

TEST(ReportPage, SaysWhenThereIsLittleToSay) {
  Pages pages;
  EXPECT_THROW((void)pages.page({}), Error);
  EXPECT_THROW((void)pages.page({{"empty", {}}}), Error);
  const std::string page = pages.page({pages.group("", {pages.record(0, 10, {})})}, {.title = "Nothing"});
  EXPECT_TRUE(has(page, "<h1>Nothing</h1>"));
  EXPECT_TRUE(has(page, "None of the runs stuttered."));
  EXPECT_EQ(data_of(page)["runs"][0]["frames"]["us"].size(), 0u);
  EXPECT_TRUE(has(pages.page({pages.group("", {pages.record(30, 10, {})})}), "<h1>Recorded runs</h1>"));
}

}  // namespace
}  // namespace idlemeter
