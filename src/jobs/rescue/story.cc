#include "jobs/rescue/story.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"

namespace vantro::jobs::rescue {
namespace {

double seconds(std::int64_t ms) { return static_cast<double>(ms) / 1000.0; }

std::string upper(std::string text) {
  for (auto& c : text) {
    if (c >= 'a' && c <= 'z') c = static_cast<char>(c - 'a' + 'A');
  }
  return text;
}

std::optional<unsigned> percent_of(const Load& load) {
  if (!load.total) return std::nullopt;
  if (*load.total == 0) return 100;
  return static_cast<unsigned>(std::min<std::uint64_t>(load.bytes, *load.total) * 100 /
                               *load.total);
}

}  // namespace

const char* word(StageKind kind) {
  switch (kind) {
    case StageKind::kWaiting:
      return "waiting";
    case StageKind::kAddress:
      return "address";
    case StageKind::kRefused:
      return "refused";
    case StageKind::kLoading:
      return "loading";
    case StageKind::kInterrupted:
      return "interrupted";
    case StageKind::kLoaded:
      return "loaded";
    case StageKind::kWriting:
      return "writing";
    case StageKind::kBack:
      return "back";
    case StageKind::kClosed:
      return "closed";
  }
  return "";
}

Story::Story(Profile profile, Session session)
    : profile_(std::move(profile)), session_(std::move(session)) {
  enter(StageKind::kWaiting, "WAITING FOR THE DEVICE", profile_.begin, session_.opened_at,
        false);
}

const File* Story::file(const std::string& name) const {
  // Names with a placeholder are stored in the session as they are requested.
  for (std::size_t i = 0; i < profile_.files.size(); ++i) {
    const auto& one = profile_.files[i];
    if (base::folded(one.name) == base::folded(name)) return &one;
  }
  if (profile_.files.size() == 1) return &profile_.files.front();
  return nullptr;
}

bool Story::is_last(const std::string& name) const {
  const auto* one = file(name);
  return one == nullptr || one == &profile_.files.back();
}

void Story::enter(StageKind kind, std::string large, std::string small,
                  base::WallTime now, bool bell) {
  stage_.kind = kind;
  stage_.large = std::move(large);
  stage_.small = std::move(small);
  stage_.percent.reset();
  stage_.since = now;
  if (bell) ++stage_.bells;
}

void Story::line(const std::string& what, const std::string& sentence,
                 base::WallTime now) {
  // A device that repeats its request says the same each time.
  if (!lines_.empty() && lines_.back().what == what &&
      lines_.back().sentence == sentence) {
    return;
  }
  if (lines_.size() >= kMostLines) return;
  lines_.push_back({0, session_.id, now, what, sentence});
}

std::vector<Event> Story::take_new() {
  std::vector<Event> fresh(lines_.begin() + static_cast<std::ptrdiff_t>(kept_),
                           lines_.end());
  kept_ = lines_.size();
  return fresh;
}

void Story::asked_for_address(const std::string& sentence, base::WallTime now) {
  line(word(StageKind::kAddress), sentence, now);
  if (stage_.kind == StageKind::kLoading) return;
  enter(StageKind::kAddress, "ASKED FOR AN ADDRESS", sentence, now,
        stage_.kind == StageKind::kWaiting || stage_.kind == StageKind::kRefused);
}

void Story::got_address(const std::string& sentence, const base::Address& address,
                        base::WallTime now) {
  line(word(StageKind::kAddress), sentence, now);
  device_address_ = address.text();
  if (stage_.kind == StageKind::kLoading) return;
  enter(StageKind::kAddress, "HAS THE ADDRESS " + device_address_, sentence, now, false);
}

void Story::refused(const std::string& sentence, base::WallTime now) {
  line(word(StageKind::kRefused), sentence, now);
  // Another station on the network must not hide what the device does.
  if (stage_.kind != StageKind::kWaiting && stage_.kind != StageKind::kAddress &&
      stage_.kind != StageKind::kRefused) {
    return;
  }
  enter(StageKind::kRefused, "REFUSED", sentence, now,
        stage_.kind != StageKind::kRefused);
}

void Story::told(const std::string& sentence, base::WallTime now) {
  line("told", sentence, now);
}

void Story::load(const Load& load, base::WallTime now) {
  const auto found = loads_.find(load.id);
  const bool is_new = found == loads_.end();
  const bool listened = !is_new && found->second.listens;
  if (!is_new && found->second.state != Load::State::kRunning) return;
  loads_[load.id] = load;
  // Ids grow: the first is the oldest.
  if (loads_.size() > kMostLoads) loads_.erase(loads_.begin());
  if ((is_new || !listened) && load.listens) {
    // A push begins before the device listens.
    const bool known = is_new && load.began_at != 0 && !load.pushed;
    begins(load, known ? load.began_at : now);
  }
  if (load.state != Load::State::kRunning) ends(load, now);
}

void Story::begins(const Load& load, base::WallTime now) {
  newest_load_ = load.id;
  const auto name = base::printable(load.name, 80);
  if (load.pushed) {
    line(word(StageKind::kLoading),
         fmt::format("the device listens, and receives '{}'", name), now);
  } else if (!loaded_.empty() && base::folded(loaded_) != base::folded(load.name)) {
    const auto nth = all_loaded_.size() == 1
                         ? std::string("second stage")
                         : fmt::format("stage {}", all_loaded_.size() + 1);
    line(word(StageKind::kLoading),
         fmt::format("{} asked for '{}' {} later", nth, name,
                     base::duration_text(seconds(now - loaded_at_))),
         now);
  } else {
    line(word(StageKind::kLoading), fmt::format("asked for '{}'", name), now);
  }
  back_ = false;
  was_gone_ = false;
  enter(StageKind::kLoading, "LOADING", "'" + name + "'", now, true);
}

void Story::ends(const Load& load, base::WallTime now) {
  const auto name = base::printable(load.name, 80);
  const auto percent = percent_of(load);
  // Many boot loaders ask for the size first, end that, and ask once more.
  if (load.state == Load::State::kInterrupted && load.bytes == 0 && !load.pushed) {
    line(word(StageKind::kInterrupted),
         fmt::format("'{}' was ended before its first block: {}", name, load.why), now);
    if (load.id == newest_load_) {
      enter(StageKind::kAddress, "ASKED FOR '" + name + "'", load.why, now, false);
    }
    return;
  }
  if (load.state == Load::State::kInterrupted) {
    line(word(StageKind::kInterrupted),
         load.listens
             ? fmt::format("'{}' was interrupted{}: {}", name,
                           percent ? fmt::format(" at {} %", *percent) : "", load.why)
             : load.why,
         now);
    if (load.id == newest_load_ || !load.listens) {
      enter(StageKind::kInterrupted,
            !load.listens ? std::string("THE DEVICE DID NOT LISTEN")
            : percent     ? fmt::format("INTERRUPTED AT {} %", *percent)
                          : std::string("INTERRUPTED"),
            load.why, now, true);
    }
    return;
  }
  loaded_ = load.name;
  loaded_at_ = now;
  if (std::find(all_loaded_.begin(), all_loaded_.end(), load.name) == all_loaded_.end()) {
    all_loaded_.push_back(load.name);
  }
  line(word(StageKind::kLoaded),
       fmt::format("'{}' was loaded completely, {}", name, base::size_text(load.bytes)),
       now);
  const auto* one = file(load.name);
  auto large = std::string("LAST BLOCK ACKNOWLEDGED");
  std::string small;
  if (one != nullptr && !one->when_loaded.empty()) {
    large += ", " + upper(one->when_loaded);
  }
  if (!is_last(load.name)) {
    for (std::size_t i = 0; i + 1 < profile_.files.size(); ++i) {
      if (one == &profile_.files[i]) {
        small = fmt::format("next it asks for '{}'", profile_.files[i + 1].name);
      }
    }
  } else {
    small = "the device has loaded everything that it needs";
  }
  enter(StageKind::kLoaded, std::move(large), std::move(small), now, true);
}

bool Story::awaits_return() const {
  return !back_ && !loaded_.empty() && is_last(loaded_) &&
         (stage_.kind == StageKind::kLoaded || stage_.kind == StageKind::kWriting ||
          stage_.kind == StageKind::kAddress);
}

void Story::answers(bool it_does, base::WallTime now) {
  if (!it_does) {
    was_gone_ = true;
    return;
  }
  // A boot loader may answer the whole time. Only a device that was silent comes back.
  if (!was_gone_ || back_ || !profile_.afterwards) return;
  back_ = true;
  const auto sentence = fmt::format("answers again at {}, {} after the last block",
                                    profile_.afterwards->text(),
                                    base::duration_text(seconds(now - loaded_at_)));
  line(word(StageKind::kBack), sentence, now);
  enter(StageKind::kBack, "ANSWERS AGAIN AT " + profile_.afterwards->text(), sentence,
        now, true);
}

void Story::closed(const std::string& why, base::WallTime now) {
  line(word(StageKind::kClosed), "the session has ended: " + why, now);
  enter(StageKind::kClosed, "CLOSED", why, now, false);
}

Stage Story::stage(base::WallTime now) const {
  auto stage = stage_;
  if (stage.kind == StageKind::kLoading) {
    const auto& load = loads_.at(newest_load_);
    stage.percent = percent_of(load);
    stage.large += stage.percent ? fmt::format(" {} %", *stage.percent)
                                 : " " + base::size_text(load.bytes);
    stage.small += fmt::format(", {}", base::rate_text(load.rate));
  } else if (stage.kind == StageKind::kLoaded && is_last(loaded_) &&
             now - stage.since >= kLoadedFor) {
    const auto* one = file(loaded_);
    const auto silent = base::duration_text(seconds(now - loaded_at_));
    stage.kind = StageKind::kWriting;
    stage.since = loaded_at_ + kLoadedFor;
    if (one == nullptr || !one->takes) {
      stage.large = "LOADED";
      stage.small = fmt::format("{} ago; {}", silent, profile_.shows);
    } else if (now - loaded_at_ >
               std::chrono::duration_cast<std::chrono::milliseconds>(one->takes->most)
                       .count() *
                   3 / 2) {
      stage.large = fmt::format("STILL SILENT, USUALLY {}", upper(text(*one->takes)));
      stage.small = fmt::format("{} since the last block; {}", silent, profile_.shows);
    } else {
      stage.large =
          fmt::format("WRITING, USUALLY {}, DO NOT POWER OFF", upper(text(*one->takes)));
      stage.small = fmt::format("{} since the last block; {}", silent, profile_.shows);
    }
  }
  if (stage.small.ends_with("; ")) stage.small.resize(stage.small.size() - 2);
  return stage;
}

std::string Story::summary() const {
  std::vector<std::string> lines;
  if (!device_address_.empty()) {
    lines.push_back(fmt::format("the device had the address {}", device_address_));
  }
  for (const auto& name : all_loaded_) {
    lines.push_back(fmt::format("'{}' was loaded completely", base::printable(name, 80)));
  }
  if (all_loaded_.empty()) lines.emplace_back("nothing was loaded");
  if (back_) {
    lines.push_back(fmt::format("the device answers at {}", profile_.afterwards->text()));
  } else if (!all_loaded_.empty() && !profile_.check.empty()) {
    lines.push_back(fmt::format(
        "the device has not answered at {} yet",
        profile_.afterwards ? profile_.afterwards->text() : std::string("its address")));
  }
  return fmt::format("{}", fmt::join(lines, "\n"));
}

}  // namespace vantro::jobs::rescue
