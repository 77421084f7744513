#include "jobs/progress.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"

namespace vantro::jobs {
namespace {

std::string spell(std::int64_t milliseconds) {
  return base::duration_text(static_cast<double>(milliseconds) / 1000);
}

std::string span(const Silence& silence) {
  const auto a = spell(silence.shortest);
  const auto b = spell(silence.longest);
  return a == b ? a : a + " to " + b;
}

bool is_hello(const Seen& seen) {
  return seen.event == "fetch" && seen.outcome == "complete" &&
         (seen.name == "hello" || seen.name.starts_with("hello-"));
}

std::string version_field(const std::string& role) {
  return role == "system" ? "running_version" : role == "boot" ? "boot_version" : "";
}

std::string titled(const JobImage& image) {
  return image.version.empty() ? fmt::format("'{}'", image.name)
                               : fmt::format("{} {}", image.role, image.version);
}

class Judge {
 public:
  Judge(const Job& job, const ProgressFacts& facts) : job_(job), facts_(facts) {}

  Progress judge() {
    for (const auto& image : job_.images) result_.images.push_back(stage_of(image));
    pass_over();
    for (const auto& one : result_.images) {
      if (one.stage == Stage::kRunning || one.passed) continue;
      result_.at_hand = one.number;
      break;
    }
    observe();
    if (job_.state == JobState::kOpen) {
      wait();
    } else {
      result_.stage = word(job_.state);
      result_.since = job_.ended_at;
      result_.waits_for =
          job_.ended_why.empty()
              ? fmt::format("nothing: {} by {}", word(job_.state), job_.ended_by)
              : fmt::format("nothing: {} by {}: {}", word(job_.state), job_.ended_by,
                            job_.ended_why);
    }
    tell();
    return std::move(result_);
  }

 private:
  static void raise(ImageProgress& one, Stage stage, base::WallTime at) {
    if (stage <= one.stage) return;
    one.stage = stage;
    one.since = at;
  }

  ImageProgress stage_of(const JobImage& image) const {
    ImageProgress one{image.number, Stage::kToFetch, job_.planned_at, 0, false};
    const auto fetched = [&](base::WallTime at) {
      ++one.fetches;
      one.stage = Stage::kSent;
      one.since = at;
    };
    for (const auto& seen : facts_.seen) {
      if (is_whole_fetch(seen) && seen.sha256 == image.sha256) fetched(seen.at);
    }
    // The same, from the record of an ended job.
    for (const auto& event : facts_.events) {
      if (event.what == "attempt" && event.number == image.number) fetched(event.at);
    }
    if (facts_.running && facts_.running->sha256 == image.sha256) {
      one.stage = Stage::kFetching;
      one.since = facts_.running->began_at;
    }
    for (const auto& event : facts_.events) {
      if (event.number != image.number) continue;
      const auto mark = parse_mark(event.what);
      if (!mark) continue;
      if (*mark == Mark::kWritten) raise(one, Stage::kWritten, event.at);
      if (*mark == Mark::kNext) raise(one, Stage::kNext, event.at);
      if (*mark == Mark::kRunning) raise(one, Stage::kRunning, event.at);
    }
    const auto field = version_field(image.role);
    for (const auto& told : facts_.reported) {
      // A version read before the job was planned does not show that the job is done.
      if (told.at < job_.planned_at) continue;
      const bool runs = !field.empty() && told.field == field && !image.version.empty() &&
                        told.value == image.version;
      if (runs) raise(one, Stage::kRunning, told.at);
      if (told.value != image.name && told.value != image.version) continue;
      if (told.field == "next_slot") raise(one, Stage::kNext, told.at);
      if (told.field == "slot") raise(one, Stage::kWritten, told.at);
    }
    if (job_.state == JobState::kConfirmed) raise(one, Stage::kRunning, job_.ended_at);
    return one;
  }

  void pass_over() {
    for (std::size_t i = 0; i < job_.images.size(); ++i) {
      for (std::size_t later = i + 1; later < job_.images.size(); ++later) {
        if (job_.images[later].role == job_.images[i].role &&
            result_.images[later].stage == Stage::kRunning) {
          result_.images[i].passed = true;
        }
      }
    }
  }

  void observe() {
    for (const auto& seen : facts_.seen) {
      if (is_hello(seen) && facts_.now - seen.at <= facts_.path_expires_ms) {
        result_.path_proven = true;
      }
      if (seen.event == "deposit" && seen.outcome == "complete") {
        result_.backed_up_at = seen.at;
      }
    }
  }

  std::optional<JobEvent> last(const char* what) const {
    for (std::size_t i = facts_.events.size(); i-- > 0;) {
      if (facts_.events[i].what == what) return facts_.events[i];
    }
    return std::nullopt;
  }

  // The first sign of the device after that one.
  std::optional<base::WallTime> heard_after(base::WallTime at) const {
    for (const auto& seen : facts_.seen) {
      if (seen.at - seen.duration_ms >= at && seen.at > at) {
        return seen.at - seen.duration_ms;
      }
    }
    return std::nullopt;
  }

  void waits(const char* stage, std::string for_what, base::WallTime since) {
    result_.stage = stage;
    result_.waits_for = std::move(for_what);
    result_.since = since;
  }

  void wait() {
    const auto& device = job_.device_name;
    if (!facts_.withdrawn.empty()) {
      return waits("stopped", "another plan: " + facts_.withdrawn, facts_.now);
    }
    if (!facts_.held.empty()) return waits("held", facts_.held, job_.planned_at);
    if (result_.at_hand == 0) {
      return waits(
          "running", "confirmation: vantro job mark " + device + " confirmed",
          result_.images.empty() ? job_.planned_at : result_.images.back().since);
    }
    const auto index = static_cast<std::size_t>(result_.at_hand - 1);
    const auto& image = job_.images[index];
    const auto& one = result_.images[index];
    const auto title = titled(image);
    switch (one.stage) {
      case Stage::kToFetch:
        return before_the_fetch(image, one);
      case Stage::kFetching:
        waits("being fetched", fmt::format("the end of the fetch of '{}'", image.name),
              one.since);
        if (facts_.running && facts_.running->total > 0) {
          result_.waits_for +=
              fmt::format(" ({} of {})", base::size_text(facts_.running->bytes),
                          base::size_text(facts_.running->total));
        }
        result_.caution = "do not power it off: it is being fetched";
        return;
      case Stage::kSent:
        return sent(image, one);
      case Stage::kWritten:
        return waits("written",
                     fmt::format("{} to be what starts next: vantro job mark {} next",
                                 title, device),
                     one.since);
      case Stage::kNext:
        waits("starts next", fmt::format("{} to restart and to report {}", device, title),
              one.since);
        if (const auto heard = heard_after(one.since)) {
          result_.waits_for = fmt::format(
              "a report of {}, or: vantro job mark {} running; {} was heard again {} "
              "later",
              title, device, device, spell(*heard - one.since));
        } else if (facts_.silence) {
          result_.caution =
              fmt::format("do not power it off: it starts, which took {} before",
                          span(*facts_.silence));
        }
        return;
      case Stage::kRunning:
        return;  // not the current image then
    }
  }

  void before_the_fetch(const JobImage& image, const ImageProgress& one) {
    const auto& device = job_.device_name;
    const auto ready = last("readiness");
    if (!ready && result_.at_hand == 1) {
      return waits("planned", fmt::format("a readiness check: vantro ready {}", device),
                   job_.planned_at);
    }
    constexpr std::string_view kStop = "stop: ";
    if (result_.at_hand == 1 && ready->sentence.starts_with(kStop)) {
      return waits("not ready",
                   "these checks to pass: " + ready->sentence.substr(kStop.size()),
                   ready->at);
    }
    if (result_.at_hand == 1 && !result_.path_proven) {
      return waits("path not proven",
                   fmt::format("{} to fetch 'hello', which proves the path", device),
                   ready->at);
    }
    if (result_.at_hand == 1 && result_.backed_up_at == 0) {
      return waits("not backed up", fmt::format("a backup from {}", device), ready->at);
    }
    auto since = one.since;
    for (const auto& before : result_.images) {
      if (before.number < one.number) since = std::max(since, before.since);
    }
    waits("to fetch",
          fmt::format("{} to fetch '{}'", device,
                      image.offered_as.empty() ? image.name : image.offered_as),
          since);
  }

  void sent(const JobImage& image, const ImageProgress& one) {
    const auto& device = job_.device_name;
    waits(one.fetches > 1 ? "sent twice" : "sent",
          fmt::format("{}: vantro job mark {} written",
                      one.fetches > 1 ? "a report that it is written (usually the first "
                                        "fetch loads it to memory, the second to storage)"
                                      : "a report that it is written, or a second fetch "
                                        "(some devices load to memory first)",
                      device),
          one.since);
    result_.caution = "do not power it off: it may be writing";
    if (facts_.silence)
      result_.caution += ", which took " + span(*facts_.silence) + " before";
    if (const auto heard = heard_after(one.since)) {
      result_.waits_for += fmt::format("; heard again {} after '{}'",
                                       spell(*heard - one.since), image.name);
    }
  }

  void tell() {
    // The events include copies made at the end.
    const bool copied =
        std::any_of(facts_.events.begin(), facts_.events.end(),
                    [](const auto& one) { return one.what == "attempt"; });
    for (const auto& event : facts_.events) {
      const auto* image = event.number == 0 ? nullptr : image_of(event.number);
      std::string text = event.what == "attempt" ? event.sentence : event.what;
      if (image != nullptr && event.what != "attempt") {
        text = fmt::format("{}: {}", titled(*image), event.what);
      }
      if (event.what != "attempt" && !event.sentence.empty())
        text += ": " + event.sentence;
      result_.lines.push_back(
          {event.at, event.by, std::move(text), event.what == "failed"});
    }
    if (!copied) {
      for (const auto& seen : facts_.seen) {
        result_.lines.push_back(
            {seen.at, "device", attempt_text(seen), seen.outcome != "complete"});
      }
    }
    for (const auto& told : facts_.reported) {
      if (told.at < job_.planned_at) continue;
      auto field = told.field;
      std::replace(field.begin(), field.end(), '_', ' ');
      result_.lines.push_back(
          {told.at, told.source, fmt::format("{}: {}", field, told.value), false});
    }
    std::stable_sort(result_.lines.begin(), result_.lines.end(),
                     [](const auto& a, const auto& b) { return a.at < b.at; });
  }

  const JobImage* image_of(std::int64_t number) const {
    for (const auto& one : job_.images) {
      if (one.number == number) return &one;
    }
    return nullptr;
  }

  const Job& job_;
  const ProgressFacts& facts_;
  Progress result_;
};

}  // namespace

const char* word(Stage stage) {
  switch (stage) {
    case Stage::kToFetch:
      return "to fetch";
    case Stage::kFetching:
      return "being fetched";
    case Stage::kSent:
      return "sent";
    case Stage::kWritten:
      return "written";
    case Stage::kNext:
      return "starts next";
    case Stage::kRunning:
      return "running";
  }
  return "";
}

bool is_whole_fetch(const Seen& seen) {
  return seen.event == "fetch" && seen.outcome == "complete" && !seen.sha256.empty();
}

std::string attempt_text(const Seen& seen) {
  const auto shown = base::printable(seen.name, base::kLongestName);
  const auto what = seen.event == "fetch"     ? fmt::format("fetch of '{}'", shown)
                    : seen.event == "deposit" ? fmt::format("backup '{}'", shown)
                    : shown.empty()           ? seen.event
                                              : fmt::format("{} '{}'", seen.event, shown);
  const auto over = seen.protocol.empty() ? "" : " over " + seen.protocol;
  if (seen.outcome == "complete") {
    return fmt::format("{}{}: complete, {} in {}", what, over,
                       base::size_text(seen.bytes), spell(seen.duration_ms));
  }
  return fmt::format("{}{}: {}: {}", what, over, seen.outcome, seen.sentence);
}

Progress progress(const Job& job, const ProgressFacts& facts) {
  return Judge(job, facts).judge();
}

base::Outcome<void> may_mark(const Job& job, const Progress& progress, Mark mark) {
  using base::Kind;
  if (mark == Mark::kFailed) return {};
  if (mark == Mark::kConfirmed) {
    std::vector<std::string> left;
    for (std::size_t i = 0; i < job.images.size(); ++i) {
      const auto& one = progress.images[i];
      if (one.stage == Stage::kRunning || one.passed) continue;
      left.push_back(fmt::format("{} is {}", titled(job.images[i]), word(one.stage)));
    }
    if (left.empty()) return {};
    return base::refuse(
        Kind::kInvalid,
        fmt::format(
            "some parts do not run yet: {}; report 'running' first, or end the job",
            fmt::join(left, ", ")));
  }
  if (progress.at_hand == 0) {
    return base::refuse(Kind::kInvalid,
                        "everything runs already; only 'confirmed' is left");
  }
  const auto& one = progress.images[static_cast<std::size_t>(progress.at_hand - 1)];
  const auto& image = job.images[static_cast<std::size_t>(progress.at_hand - 1)];
  if (one.stage == Stage::kToFetch && mark != Mark::kRunning) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{} has not fetched '{}' in full since the job was "
                                    "planned; nothing was marked",
                                    job.device_name, image.name));
  }
  if (one.stage == Stage::kFetching) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is still being fetched; nothing was marked", image.name));
  }
  return {};
}

}  // namespace vantro::jobs
