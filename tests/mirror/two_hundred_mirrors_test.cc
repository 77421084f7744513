// Two hundred mirrors behind thin links, for a week of changes, on a virtual clock: real
// records and the real Follower; bytes are only counted. VANTRO_MIRRORS and VANTRO_ASKS_S
// change how many there are, and how often they ask.
#include <cmath>
#include <cstdlib>
#include <gtest/gtest.h>
#include <iostream>
#include <queue>
#include <random>

#include "base/sizes.h"
#include "desk/images.h"
#include "mirror/follower.h"
#include "mirror/headquarters.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::mirror {
namespace {

using std::chrono::duration_cast;
using std::chrono::hours;
using std::chrono::milliseconds;
using std::chrono::minutes;
using std::chrono::seconds;

std::int64_t number_from(const char* name, std::int64_t usual) {
  const char* given = std::getenv(name);
  return given == nullptr ? usual : std::atoll(given);
}

struct Site {
  std::string name;
  Wants wants;
  double bandwidth = 0;  // bytes per second
  base::Duration way{};  // to headquarters and back
  double breaks = 0;     // how often a piece does not arrive
  std::unique_ptr<Follower> follower;
  Outline outline;
  std::string tag;
  std::map<std::string, Wanted> wanted;  // of the records
  std::map<std::string, std::uint64_t> have;
  std::set<std::string> held;
  std::uint64_t link_bytes = 0;
  std::uint64_t least_bytes = 0;                // what had to go over the link
  std::map<std::string, std::uint64_t> shared;  // bytes that were here already
  base::Instant due{};
};

class TwoHundredMirrors : public fakes::RepositoryFixture {
 protected:
  struct Waiting {
    base::Instant at;
    std::size_t site;
    std::shared_ptr<Event> event;  // none: only its time has come
    bool news = false;             // headquarters is asked at this moment
    bool operator<(const Waiting& other) const { return at > other.at; }
  };

  static constexpr std::uint64_t kNewsOverhead =
      600;  // bytes of a question and its answer
  static constexpr std::uint64_t kRecordBytes = 250;

  void SetUp() override {
    RepositoryFixture::SetUp();
    headquarters_ = std::make_unique<Headquarters>(*repository_);
    begin_ = clock_.now();
  }

  // A release: tiny bytes, whose record claims a large size.
  void release(const std::string& platform) {
    const auto name = fmt::format("{}-{}.img", platform, ++releases_);
    gate::IntakeOptions options;
    options.name = name;
    options.facts = {{"platform", platform},
                     {"version", fmt::format("1.{}.0", releases_)}};
    const auto taken = take_in(std::move(options), fmt::format("image {}", releases_));
    ASSERT_TRUE(taken) << taken.error().sentence;
    const auto size = std::uniform_int_distribution<std::int64_t>(10, 120)(random_) << 20;
    ASSERT_TRUE(
        repository_->database->write([&](db::Transaction& t) -> base::Outcome<void> {
          t.run("update images set size = :s where name = :n", {size, name});
          t.changed(catalog::kImageChanged, "1");
          return {};
        }));
    names_.push_back(name);
  }

  void add_sites(std::size_t count) {
    const std::vector<std::string> platforms{"weir", "lattice", "causeway"};
    std::uniform_real_distribution<double> even(0, 1);
    for (std::size_t i = 0; i < count; ++i) {
      auto site = std::make_unique<Site>();
      site->name = fmt::format("site-{:03}", i);
      // 256 kbit/s to 100 Mbit/s, as many thin ones as thick ones.
      site->bandwidth = 32'000 * std::pow(390.0, even(random_));
      site->way = milliseconds(20 + static_cast<int>(600 * even(random_)));
      site->breaks = i % 10 == 0 ? 0.05 : 0.002;
      site->wants.platforms = {platforms[i % 3]};
      if (i % 7 == 0) site->wants = {};
      Pace pace;
      pace.asks_every = seconds(number_from("VANTRO_ASKS_S", 900));
      if (i % 5 == 0) pace.hours = *Hours::parse("18:00-07:00");
      site->follower = std::make_unique<Follower>(pace, i + 1, clock_.now());
      sites_.push_back(std::move(site));
      push(i, clock_.now(), nullptr);
    }
  }

  void push(std::size_t site, base::Instant at, std::shared_ptr<Event> event,
            bool news = false) {
    waiting_.push({at, site, std::move(event), news});
  }

  bool away() const {
    const auto day = duration_cast<hours>(clock_.now() - begin_).count() / 24;
    return day == 3;
  }

  void carry_out(std::size_t index, std::vector<Action> actions) {
    auto& site = *sites_[index];
    for (auto& action : actions) {
      if (std::holds_alternative<AskNews>(action)) {
        push(index, clock_.now() + site.way, nullptr, true);
      } else {
        auto [takes, event] = done(site, action);
        push(index, clock_.now() + takes, std::make_shared<Event>(std::move(event)));
      }
    }
    // One timer for each site: an earlier one that is still there does no harm.
    const auto next = site.follower->deadline();
    if (next && (site.due <= clock_.now() || *next < site.due)) {
      site.due = *next;
      push(index, *next, nullptr);
    }
  }

  static base::Refusal cut() { return {base::Kind::kIo, "the link is down"}; }

  NewsCame ask(Site& site) {
    NewsCame came;
    if (away()) {
      came.result = base::refuse(cut());
      return came;
    }
    ++questions_;
    Report report;
    report.tag = site.tag;
    report.wants = site.wants;
    report.lacking = site.follower->lacking();
    const auto news = headquarters_->answer(site.name, "192.0.2.1", report);
    if (!news) {
      came.result = base::refuse(news.error());
      return came;
    }
    const auto bytes =
        kNewsOverhead + kRecordBytes * (news->fresh.size() + news->gone.size());
    site.link_bytes += bytes;
    site.least_bytes += bytes;
    if (news->base.empty()) {
      ++whole_answers_;
      site.outline.clear();
      site.wanted.clear();
    }
    for (const auto& key : news->gone) {
      site.outline.erase(key);
      if (key.table == kContents) site.wanted.erase(key.row);
    }
    for (const auto& [key, record] : news->fresh) {
      site.outline[key] = digest_of(key, record);
      if (key.table == kContents) site.wanted[key.row] = *wanted_of(key, record);
    }
    EXPECT_EQ(tag_of(site.outline), news->tag);
    if (news->tag == site.tag) return came;
    site.tag = news->tag;
    came.lacking.emplace();
    for (const auto& [sha256, wanted] : site.wanted) {
      if (site.held.contains(sha256)) continue;
      came.lacking->push_back({wanted, site.have[sha256], !site.held.empty()});
    }
    return came;
  }

  // How long it takes, and what comes of it.
  std::pair<base::Duration, Event> done(Site& site, const Action& action) {
    if (const auto* plan = std::get_if<MakePlan>(&action)) {
      if (away()) return {site.way, Planned{plan->sha256, base::refuse(cut()), true}};
      const auto size = site.wanted[plan->sha256].size;
      site.link_bytes += size / 3000;
      site.least_bytes += size / 3000;
      // One in three releases shares two thirds with the one before.
      std::vector<Span> spans{{0, size, "", 0}};
      if (std::hash<std::string>()(plan->sha256) % 3 == 0) {
        spans = {{0, size / 3, "", 0}, {size / 3, size - size / 3, "old", 0}};
        site.shared[plan->sha256] = size - size / 3;
      }
      return {site.way, Planned{plan->sha256, spans}};
    }
    if (const auto* copy = std::get_if<CopyPiece>(&action)) {
      site.have[copy->sha256] += copy->count;
      return {milliseconds(50), PieceCame{copy->sha256, site.have[copy->sha256]}};
    }
    if (const auto* content = std::get_if<FileContent>(&action)) {
      const auto& sha256 = content->sha256;
      EXPECT_EQ(site.have[sha256], site.wanted[sha256].size);
      site.held.insert(sha256);
      site.least_bytes += site.wanted[sha256].size - site.shared[sha256];
      return {seconds(1), Filed{sha256, {}}};
    }
    const auto& piece = std::get<FetchPiece>(action);
    if (away())
      return {site.way, PieceCame{piece.sha256, base::refuse(cut()), 0, {}, true}};
    const auto whole =
        site.way + duration_cast<base::Duration>(std::chrono::duration<double>(
                       static_cast<double>(piece.count) / site.bandwidth));
    std::uniform_real_distribution<double> even(0, 1);
    ++pieces_;
    if (even(random_) < site.breaks) {
      const auto part = even(random_);
      site.link_bytes +=
          static_cast<std::uint64_t>(part * static_cast<double>(piece.count));
      return {duration_cast<base::Duration>(whole * part),
              PieceCame{piece.sha256, base::refuse(cut()), 0, {}, true}};
    }
    site.link_bytes += piece.count;
    site.have[piece.sha256] += piece.count;
    return {whole, PieceCame{piece.sha256, site.have[piece.sha256], piece.count, whole}};
  }

  void run_until(base::Instant end) {
    while (!waiting_.empty() && waiting_.top().at <= end) {
      const auto one = waiting_.top();
      waiting_.pop();
      clock_.move_to(one.at);
      auto& site = *sites_[one.site];
      auto& follower = *site.follower;
      if (one.news) {
        auto came = ask(site);
        carry_out(one.site, follower.step(std::move(came), clock_.now(), clock_.wall()));
      } else if (one.event) {
        carry_out(one.site,
                  follower.step(std::move(*one.event), clock_.now(), clock_.wall()));
      } else if (follower.deadline() && *follower.deadline() <= clock_.now()) {
        carry_out(one.site, follower.step(clock_.now(), clock_.wall()));
      }
    }
    clock_.move_to(end);
  }

  std::size_t behind() const {
    std::size_t count = 0;
    for (const auto& site : sites_) count += site->follower->lacking() > 0 ? 1 : 0;
    return count;
  }

  std::unique_ptr<Headquarters> headquarters_;
  std::mt19937 random_{26};
  base::Instant begin_{};
  std::vector<std::unique_ptr<Site>> sites_;
  std::priority_queue<Waiting> waiting_;
  std::vector<std::string> names_;
  int releases_ = 0;
  std::uint64_t questions_ = 0, whole_answers_ = 0, pieces_ = 0;
};

TEST_F(TwoHundredMirrors, AreAllCompleteInTheEnd) {
  const auto count = static_cast<std::size_t>(number_from("VANTRO_MIRRORS", 200));
  for (int i = 0; i < 6; ++i)
    release(i % 3 == 0 ? "weir" : i % 3 == 1 ? "lattice" : "causeway");
  add_sites(count);
  // Each six hours of a week something changes.
  for (int change = 0; change < 28; ++change) {
    run_until(begin_ + hours(6 * (change + 1)));
    if (change % 2 == 0) {
      release(change % 3 == 0 ? "weir" : change % 3 == 1 ? "lattice" : "causeway");
    } else if (change % 8 == 3) {
      const auto& name = names_[static_cast<std::size_t>(change) % names_.size()];
      static_cast<void>(
          desk::Images(*repository_, operator_).withdraw(name, "does not start"));
    } else {
      ASSERT_TRUE(
          desk::Images(*repository_, operator_)
              .edit(names_.back(), {{"remarks", fmt::format("note {}", change)}}));
    }
    if (change == 20) {
      // Headquarters starts again, and remembers nothing that it told.
      headquarters_ = std::make_unique<Headquarters>(*repository_);
    }
  }
  const auto still_behind = behind();
  base::Instant end = begin_ + hours(24 * 7);
  for (int more = 0; more < 24 * 7 && behind() > 0; ++more) run_until(end += hours(1));
  EXPECT_EQ(behind(), 0U);
  run_until(end + hours(1));
  std::uint64_t bytes = 0, least = 0;
  double worst = 0;
  for (const auto& site : sites_) {
    Report report;
    report.tag = site->tag;
    report.wants = site->wants;
    const auto news = headquarters_->answer(site->name, "192.0.2.1", report);
    ASSERT_TRUE(news);
    EXPECT_EQ(news->tag, site->tag) << site->name;
    for (const auto& [sha256, wanted] : site->wanted) {
      EXPECT_TRUE(site->held.contains(sha256)) << site->name;
    }
    bytes += site->link_bytes;
    least += site->least_bytes;
    worst = std::max(worst, static_cast<double>(site->link_bytes) /
                                static_cast<double>(site->least_bytes));
  }
  const auto ratio = static_cast<double>(bytes) / static_cast<double>(least);
  const auto spent = duration_cast<seconds>(clock_.now() - begin_).count();
  std::cout << fmt::format(
      "{} mirrors, {:.1f} days: {} over the links, {:.3f} of the least possible (the "
      "worst "
      "site {:.3f}); {} behind after seven days; headquarters: {:.2f} questions a "
      "second, "
      "{} of {} answered with all records, {:.2f} pieces a second\n",
      count, static_cast<double>(spent) / 86'400, base::size_text(bytes), ratio, worst,
      still_behind, static_cast<double>(questions_) / static_cast<double>(spent),
      whole_answers_, questions_,
      static_cast<double>(pieces_) / static_cast<double>(spent));
  EXPECT_LT(ratio, 1.02);
  EXPECT_LT(worst, 1.2);
  // The first time, and after headquarters' start.
  EXPECT_LE(whole_answers_, 2 * count);
}

}  // namespace
}  // namespace vantro::mirror
