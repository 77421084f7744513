// A mirror in the test's process: its repository, and a link that asks headquarters
// directly, so that a test can cut it, and count what goes over it.
#pragma once

#include <deque>
#include <memory>
#include <string>

#include "gate/gate.h"
#include "mirror/adoption.h"
#include "mirror/follower.h"
#include "mirror/headquarters.h"
#include "mirror/parts.h"
#include "tests/fakes/scratch_folder.h"
#include "tests/fakes/sim_clock.h"
#include "upkeep/recovery.h"

namespace vantro::fakes {

class MirrorAtHand {
 public:
  static constexpr const char* kHeadquarters = "https://hq.example:7443";

  MirrorAtHand(std::string name, mirror::Headquarters& headquarters, SimClock& clock,
               mirror::Wants wants = {}, mirror::Pace pace = {})
      : name_(std::move(name)),
        headquarters_(headquarters),
        clock_(clock),
        wants_(std::move(wants)),
        pace_(std::move(pace)) {
    start();
  }

  void start() {
    auto opened = repository::Repository::open(folder_ / "state", clock_, log_);
    if (!opened) throw std::runtime_error(opened.error().sentence);
    repository_ = std::move(*opened);
    gate_ = std::make_unique<gate::Gate>(*repository_, clock_, log_, gate::Config());
    static_cast<void>(upkeep::clear_up(*repository_, clock_.wall(), log_));
    adoption_ = std::make_unique<mirror::Adoption>(*repository_);
    if (auto known = adoption_->open(kHeadquarters); !known) {
      throw std::runtime_error(known.error().sentence);
    }
    parts_ = std::make_unique<mirror::Parts>(*repository_, *adoption_);
    static_cast<void>(parts_->open());
    follower_ = std::make_unique<mirror::Follower>(pace_, 7, clock_.now());
    whole_ = false;
  }
  void stop() {
    follower_.reset();
    parts_.reset();
    adoption_.reset();
    gate_.reset();
    repository_.reset();
  }

  // Carries out what the machine wants until it waits for a time.
  void run() { carry_out(follower_->step(clock_.now(), clock_.wall())); }
  // The same, with the time moved on until it lacks nothing; at most so many steps.
  void run_until_complete(int steps = 1000) {
    run();
    while (steps-- > 0 && (follower_->lacking() > 0 || !follower_->heard_at())) {
      if (const auto next = follower_->deadline()) clock_.move_to(*next);
      run();
    }
  }
  void sync() {
    carry_out(follower_->step(mirror::SyncWanted{}, clock_.now(), clock_.wall()));
  }

  std::string fetch(const std::string& name) {
    const gate::Asker asker{{*base::Address::parse("127.0.0.7"), 5000}, "tftp", "lo"};
    auto place = gate_->admit(asker, gate::Direction::kFetch, name);
    if (!place) return "refused: " + place.error().sentence;
    auto grant = gate_->open_read(asker, std::move(*place), name);
    if (!grant) return "refused: " + base::in_full(grant.error());
    const auto bytes = grant->read(0, grant->size());
    grant->transfer().end(gate::State::kComplete, "");
    return std::string(base::as_text(*bytes));
  }

  bool link_up = true;
  bool spoils = false;                     // the next piece arrives with a wrong byte
  std::uint64_t most_pieces = UINT64_MAX;  // then the link breaks
  base::Duration piece_takes = std::chrono::seconds(1);
  std::uint64_t fetched = 0;  // bytes of contents
  std::uint64_t records = 0;
  std::uint64_t asked = 0;
  std::vector<std::string> order;  // contents, as they were filed

  std::unique_ptr<repository::Repository> repository_;
  std::unique_ptr<gate::Gate> gate_;
  std::unique_ptr<mirror::Adoption> adoption_;
  std::unique_ptr<mirror::Parts> parts_;
  std::unique_ptr<mirror::Follower> follower_;

 private:
  void carry_out(std::vector<mirror::Action> actions) {
    std::deque<mirror::Action> queue(actions.begin(), actions.end());
    for (; !queue.empty(); queue.pop_front()) {
      auto event = std::visit([&](const auto& one) { return done(one); }, queue.front());
      const auto more = follower_->step(std::move(event), clock_.now(), clock_.wall());
      queue.insert(queue.end(), more.begin(), more.end());
    }
  }
  static base::Refusal cut() { return {base::Kind::kIo, "headquarters does not answer"}; }

  mirror::Event done(const mirror::AskNews&) {
    ++asked;
    mirror::NewsCame came;
    if (!link_up) {
      came.result = base::refuse(cut());
      return came;
    }
    mirror::Report report;
    report.tag = whole_ ? "" : adoption_->standing().tag;
    report.wants = wants_;
    report.lacking = follower_->lacking();
    report.missing = follower_->missing_bytes();
    const auto news = headquarters_.answer(name_, "192.0.2.99", report);
    if (!news) {
      came.result = base::refuse(news.error());
      return came;
    }
    records += news->fresh.size();
    came.sync = news->sync;
    const auto changed = adoption_->take(*news);
    whole_ = !changed;
    if (!changed) {
      came.result = base::refuse(changed.error());
      return came;
    }
    if (auto lacking = parts_->lacking()) came.lacking = std::move(*lacking);
    return came;
  }
  mirror::Event done(const mirror::MakePlan& wanted) {
    if (!link_up) return mirror::Planned{wanted.sha256, base::refuse(cut()), true};
    const auto packed = headquarters_.chunks(wanted.sha256);
    if (!packed) return mirror::Planned{wanted.sha256, base::refuse(packed.error())};
    fetched += packed->size();
    return mirror::Planned{wanted.sha256, parts_->plan(wanted.sha256, *packed)};
  }
  mirror::Event done(const mirror::FetchPiece& piece) {
    if (!link_up || most_pieces == 0) {
      return mirror::PieceCame{piece.sha256, base::refuse(cut()), 0, {}, true};
    }
    --most_pieces;
    const auto content = headquarters_.content(piece.sha256);
    if (!content) return mirror::PieceCame{piece.sha256, base::refuse(content.error())};
    std::vector<std::uint8_t> bytes(piece.count);
    const auto got = ::pread(content->file.get(), bytes.data(), bytes.size(),
                             static_cast<off_t>(piece.offset));
    if (got != static_cast<ssize_t>(bytes.size())) throw std::runtime_error("short");
    if (spoils) bytes.front() ^= 1;
    spoils = false;
    fetched += bytes.size();
    clock_.advance(piece_takes);
    return mirror::PieceCame{piece.sha256, parts_->write(piece, bytes), bytes.size(),
                             piece_takes};
  }
  mirror::Event done(const mirror::CopyPiece& piece) {
    return mirror::PieceCame{piece.sha256, parts_->copy(piece)};
  }
  mirror::Event done(const mirror::FileContent& content) {
    mirror::Filed filed{content.sha256, parts_->file(content.sha256)};
    if (filed.result) order.push_back(content.sha256);
    return filed;
  }

  const std::string name_;
  mirror::Headquarters& headquarters_;
  SimClock& clock_;
  const mirror::Wants wants_;
  const mirror::Pace pace_;
  ScratchFolder folder_;
  base::Log log_;
  bool whole_ = false;  // all records are wanted
};

}  // namespace vantro::fakes
