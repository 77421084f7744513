#include "jobs/readiness.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"

namespace vantro::jobs {
namespace {

constexpr std::int64_t kDay = 86'400'000;

std::string spell(std::int64_t milliseconds) {
  return base::duration_text(static_cast<double>(milliseconds) / 1000);
}

bool among(const std::vector<std::string>& all, const std::string& one) {
  const auto folded = base::folded(one);
  return std::any_of(all.begin(), all.end(),
                     [&](const auto& each) { return base::folded(each) == folded; });
}

// The words of devices and people for an empty slot.
bool is_empty(const std::string& content) {
  const auto folded = base::folded(content);
  return folded == "empty" || folded == "none" || folded == "free" || folded == "-";
}

class Checker {
 public:
  explicit Checker(const ReadinessFacts& facts) : f_(facts) {}

  std::vector<Check> check() {
    if (f_.aim) {
      whole();
      vouched();
      inside();
      not_withdrawn();
      stage();
      platform();
      hardware();
      role();
    }
    route();
    companions();
    if (f_.next) {
      space();
      remarks();
    }
    way_back();
    backups();
    ways();
    proven();
    job();
    window();
    durations();
    server();
    return std::move(checks_);
  }

 private:
  void add(const char* name, Verdict verdict, std::string fact, std::string advice = "") {
    checks_.push_back({name, verdict, std::move(fact), std::move(advice)});
  }
  void pass(const char* name, std::string fact) {
    add(name, Verdict::kPass, std::move(fact));
  }
  void warn(const char* name, std::string fact, std::string advice) {
    add(name, Verdict::kWarn, std::move(fact), std::move(advice));
  }
  void stop(const char* name, std::string fact, std::string advice) {
    add(name, Verdict::kStop, std::move(fact), std::move(advice));
  }
  void unknown(const char* name, std::string fact, std::string advice) {
    add(name, Verdict::kUnknown, std::move(fact), std::move(advice));
  }

  // The worst judgement of the images: of the aim, and of the next one to fetch if that
  // is another.
  template <class Judge>
  void of_images(Judge judge) {
    auto worst = judge(*f_.aim);
    if (f_.next && f_.next->sha256 != f_.aim->sha256) {
      auto other = judge(*f_.next);
      other.fact = fmt::format("'{}': {}", f_.next->name, other.fact);
      if (rank(other.verdict) > rank(worst.verdict)) worst = std::move(other);
    }
    checks_.push_back(std::move(worst));
  }
  static int rank(Verdict verdict) {
    switch (verdict) {
      case Verdict::kPass:
        return 0;
      case Verdict::kWarn:
        return 1;
      case Verdict::kUnknown:
        return 2;
      case Verdict::kStop:
        return 3;
    }
    return 3;
  }

  void whole() {
    of_images([](const ImageFacts& one) -> Check {
      if (one.whole) {
        return {"image whole", Verdict::kPass, "as it was when it was added", ""};
      }
      return {"image whole", Verdict::kStop, "damaged on the server's disk",
              fmt::format("add '{}' again with 'vantro image add'", one.name)};
    });
  }

  void vouched() {
    of_images([](const ImageFacts& one) -> Check {
      if (one.vouching == "vouched") {
        return {"vouched", Verdict::kPass, "agrees with the maker's checksum", ""};
      }
      if (one.vouching == "vouched-weakly") {
        return {"vouched", Verdict::kWarn, "agrees, but only MD5 or SHA-1 was compared",
                "compare a SHA-256 if the maker publishes one"};
      }
      if (one.vouching == "contradicted") {
        return {"vouched", Verdict::kStop, "differs from the maker's checksum",
                "download it again"};
      }
      return {"vouched", Verdict::kWarn, "it was not compared with the maker's checksum",
              fmt::format("vantro image vouch {}", one.name)};
    });
  }

  void inside() {
    of_images([](const ImageFacts& one) -> Check {
      const char* name = "sound inside";
      if (one.verdict == "whole") {
        return {name, Verdict::kPass, "its own check values match", ""};
      }
      if (one.verdict.empty() || one.verdict == "unknown") {
        return {name, Verdict::kUnknown,
                one.verdict.empty() ? "Vantro has not looked inside"
                                    : "its format has no known check values",
                "rely on the maker's checksum"};
      }
      return {name, Verdict::kStop, one.finding.empty() ? one.verdict : one.finding,
              "download it again"};
    });
  }

  void not_withdrawn() {
    of_images([](const ImageFacts& one) -> Check {
      if (one.withdrawn.empty())
        return {"not withdrawn", Verdict::kPass, "it is not withdrawn", ""};
      return {"not withdrawn", Verdict::kStop, "withdrawn: " + one.withdrawn,
              "plan another image"};
    });
  }

  void stage() {
    of_images([](const ImageFacts& one) -> Check {
      const char* name = "release stage";
      if (one.stage == "proven") return {name, Verdict::kPass, "proven", ""};
      if (one.stage.empty()) {
        return {name, Verdict::kUnknown, "not known",
                fmt::format("vantro image change {} --stage proven", one.name)};
      }
      return {name, Verdict::kWarn,
              one.stage == "new" ? "a new release"
                                 : fmt::format("its stage is '{}'", one.stage),
              "read its release notes"};
    });
  }

  void platform() {
    const auto& one = *f_.aim;
    if (f_.platform.empty()) {
      return unknown("platform",
                     fmt::format("the platform of {} is not known", f_.device),
                     fmt::format("vantro device change {} --platform P", f_.device));
    }
    const auto& model = f_.model;
    if (!model.empty() && base::folded(model) != base::folded(f_.platform)) {
      return stop(
          "platform",
          fmt::format("the inventory says {}, the device reports {}", f_.platform, model),
          "find out which is right, and correct the inventory");
    }
    if (one.platforms.empty()) {
      return unknown(
          "platform", "the image does not say which platform it is for",
          fmt::format("vantro image change {} --platform {}", one.name, f_.platform));
    }
    if (among(one.platforms, f_.platform)) {
      if (one.platform_guessed) {
        return warn("platform",
                    fmt::format("guessed from the file's name: {}", f_.platform),
                    fmt::format("confirm it: vantro image change {} --platform {}",
                                one.name, f_.platform));
      }
      return pass("platform", f_.platform);
    }
    const auto fact = fmt::format("the image is for {}, but {} is a {}",
                                  fmt::join(one.platforms, ", "), f_.device, f_.platform);
    if (f_.job && f_.for_the_job && f_.job->any_platform) {
      return warn("platform", fact, "the job allows it");
    }
    stop("platform", fact, "plan an image for this platform");
  }

  void hardware() {
    const auto& one = *f_.aim;
    if (one.hardware.empty()) return pass("hardware revision", "the image is for any");
    if (f_.hardware.empty()) {
      return unknown("hardware revision",
                     fmt::format("the image is for {}; that of {} is not known",
                                 fmt::join(one.hardware, ", "), f_.device),
                     fmt::format("vantro device change {} --hardware R", f_.device));
    }
    if (among(one.hardware, f_.hardware)) return pass("hardware revision", f_.hardware);
    stop("hardware revision",
         fmt::format("the image is for {}, but {} is {}", fmt::join(one.hardware, ", "),
                     f_.device, f_.hardware),
         "plan an image for this hardware");
  }

  void role() {
    const auto& role = f_.aim->role;
    if (role.empty()) {
      return unknown("role", "the image does not say what it is for",
                     fmt::format("vantro image change {} --role system", f_.aim->name));
    }
    const bool recover = f_.job && f_.job->purpose == Purpose::kRecover;
    if (role == "recovery" && !recover) {
      return warn("role", "it is an image for recovery",
                  "plan the job with --purpose recover if that is meant");
    }
    pass("role", role);
  }

  void route() {
    const auto& r = f_.route;
    if (!f_.other_versions.empty()) {
      return stop("route",
                  fmt::format("the members of the stack run different versions: {}, {}",
                              f_.running_version, fmt::join(f_.other_versions, ", ")),
                  "bring them to one version first");
    }
    switch (r.result) {
      case RouteResult::kThere:
        return warn("route", r.sentence, "nothing has to be installed");
      case RouteResult::kForbidden:
        return stop("route", r.sentence, "plan another version");
      case RouteResult::kUnknown:
        return unknown(
            "route", r.sentence,
            fmt::format("vantro device change {} --running-version V", f_.device));
      case RouteResult::kMissing:
        return stop("route", r.sentence, "add the missing images");
      case RouteResult::kFound:
        break;
    }
    if (!r.any_rules) {
      return unknown("route", r.sentence,
                     "import the maker's rules: vantro route import");
    }
    if (r.steps.size() == 1) return pass("route", r.sentence);
    std::vector<std::string> ways;
    for (const auto& step : r.steps) ways.push_back(step.version);
    const auto fact = fmt::format("{}: {}", r.sentence, fmt::join(ways, ", then "));
    if (f_.for_the_job) return pass("route", fact);
    warn("route", fact,
         fmt::format("install {} first; 'vantro job add' has all steps",
                     r.steps.front().version));
  }

  void companions() {
    std::vector<std::string> wanted;
    bool missing = false;
    for (const auto& step : f_.route.steps) {
      for (const auto& one : step.before) {
        missing = missing || one.image.empty();
        wanted.push_back(fmt::format("{} {} ({})", one.role, one.version, one.why));
      }
    }
    if (f_.route.result != RouteResult::kFound &&
        f_.route.result != RouteResult::kMissing) {
      return;
    }
    if (wanted.empty()) return pass("companions first", "none is needed");
    const auto fact = fmt::format("{}", fmt::join(wanted, "; "));
    if (missing) return stop("companions first", fact, "add the missing image");
    if (f_.for_the_job) return pass("companions first", "in the job: " + fact);
    warn("companions first", fact, "install them first");
  }

  void space() {
    const auto& one = *f_.next;
    const auto need = std::max(one.size, one.space.value_or(0));
    const auto* what =
        one.space && *one.space >= one.size ? "its space need" : "its size";
    std::uint64_t most = 0;
    std::string where;
    for (const auto& [storage, bytes] : f_.free) {
      if (bytes < most) continue;
      most = bytes;
      where = storage;
    }
    if (f_.free.empty()) {
      return unknown(
          "space",
          fmt::format("'{}' needs {} ({}); the free space is not known", one.name,
                      base::size_text(need), what),
          fmt::format("send a report, or: vantro device change {} --free \"120 "
                      "MiB\"",
                      f_.device));
    }
    const auto fact = fmt::format("{} free{}{}, '{}' needs {} ({})",
                                  base::size_text(most), where.empty() ? "" : " on ",
                                  where, one.name, base::size_text(need), what);
    if (most >= need) return pass("space", fact);
    stop("space", fact, "free some space on the device, and report it again");
  }

  void remarks() {
    std::vector<std::string> notes;
    for (const auto* one : {&f_.next, &f_.aim}) {
      if (!*one || (*one)->remarks.empty()) continue;
      if (std::find(notes.begin(), notes.end(), (*one)->remarks) == notes.end()) {
        notes.push_back((*one)->remarks);
      }
    }
    if (notes.empty()) return;
    const auto fact = fmt::format("{}", fmt::join(notes, "; "));
    if (f_.acknowledged) return pass("remarks read", "acknowledged: " + fact);
    warn("remarks read", fact,
         f_.for_the_job ? fmt::format("vantro job acknowledge {}", f_.device)
                        : "read them before it is installed");
  }

  void way_back() {
    const auto& running = f_.running_slot;
    const SlotFacts* written = nullptr;
    for (const auto& one : f_.slots) {
      // With two slots, the one that does not run is meant.
      const bool meant =
          f_.slot.empty()
              ? !running.empty() && one.label != running && f_.slots.size() == 2
              : base::folded(one.label) == base::folded(f_.slot);
      if (meant) written = &one;
    }
    if (written != nullptr) {
      const auto fact = fmt::format("slot {} with '{}' would be overwritten",
                                    written->label, written->content);
      if (written->label == running) {
        return stop("way back", fact + " and runs now",
                    "choose another slot with --slot");
      }
      if (is_empty(written->content)) {
        return pass(
            "way back",
            fmt::format("slot {} is empty{}", written->label,
                        running.empty() ? "" : fmt::format("; slot {} stays", running)));
      }
      const auto stays = running.empty() ? "" : fmt::format("; slot {} stays", running);
      if (written->held) return pass("way back", fact + "; the server has it" + stays);
      return warn("way back", fact + "; the server does not have it" + stays,
                  "send it as a backup first, if you want it again");
    }
    if (f_.running_held || f_.image_backup) {
      return pass("way back", "the server has the running image");
    }
    if (f_.running_version.empty()) {
      return unknown("way back", "neither slots nor the running version are known",
                     "send a report of the device");
    }
    warn("way back",
         fmt::format("the server does not have {} {}, which runs now", f_.platform,
                     f_.running_version),
         "add that image, or let the device send it");
  }

  void backups() {
    if (!f_.configuration) {
      stop("configuration backup", fmt::format("{} has sent none", f_.device),
           "let the device send its configuration now");
    } else {
      const auto age = f_.now - f_.configuration->seen_at;
      const auto fact =
          fmt::format("'{}' revision {}, sent {} ago", f_.configuration->name,
                      f_.configuration->revision, spell(std::max<std::int64_t>(age, 0)));
      if (!f_.configuration->finding.empty()) {
        stop("configuration backup", fact + "; " + f_.configuration->finding,
             "let the device send it again");
      } else if (age > kDay) {
        warn("configuration backup", fact, "let the device send it again");
      } else {
        pass("configuration backup", fact);
      }
    }
    if (f_.image_backup) {
      pass("image backup", fmt::format("'{}' revision {}", f_.image_backup->name,
                                       f_.image_backup->revision));
    } else if (f_.running_held) {
      pass("image backup", "the running image is in the catalogue");
    } else {
      warn("image backup", "none of what runs", "let the device send its running image");
    }
  }

  void ways() {
    if (f_.not_served.empty() && !f_.ways.empty()) {
      std::vector<std::string> served;
      for (const auto& one : f_.ways) served.push_back(one.protocol);
      pass("listener", fmt::format("{}", fmt::join(served, ", ")));
    }
    for (const auto& one : f_.not_served) {
      stop("listener", fmt::format("the server does not serve {}", one),
           "choose another protocol with --over");
    }
    if (!f_.next) return;
    std::vector<std::string> open;
    std::vector<std::string> closed;
    std::string server;
    bool on_offer = false;
    for (const auto& one : f_.ways) {
      on_offer = on_offer || !one.name.empty();
      if (one.hindrance.empty() && !one.name.empty()) {
        open.push_back(one.protocol);
        if (server.empty()) server = one.server;
      } else if (!one.hindrance.empty()) {
        closed.push_back(fmt::format("{}: {}", one.protocol, one.hindrance));
      }
    }
    if (!on_offer) {
      return stop("on offer",
                  fmt::format("'{}' is not on offer to {}", f_.next->name, f_.device),
                  fmt::format("vantro offer add {}", f_.next->name));
    }
    if (open.empty()) {
      return stop("on offer", fmt::format("{}", fmt::join(closed, "; ")),
                  "open it with a rule, an account or an offer");
    }
    pass("on offer",
         fmt::format("'{}' over {}", f_.ways.front().name, fmt::join(open, ", ")));
    pass("server address", server);
  }

  void proven() {
    const auto how = fmt::format("fetch 'hello' from {}", f_.device);
    if (!f_.proven) {
      return warn("path proven", "the device fetched nothing that proves it", how);
    }
    const auto age = std::max<std::int64_t>(f_.now - f_.proven->at, 0);
    const auto fact = fmt::format(
        "from this device over {} {} ago{}{}", f_.proven->protocol, spell(age),
        f_.proven->rate > 0 ? ", " + base::rate_text(f_.proven->rate) : "",
        f_.proven->protocol != "tftp" ? ""
        : f_.proven->resent == 0      ? ", nothing resent"
                                 : fmt::format(", {} packets resent", f_.proven->resent));
    if (age > f_.proven_for_ms) return warn("path proven", fact, how + " again");
    const bool same = f_.ways.empty() ||
                      std::any_of(f_.ways.begin(), f_.ways.end(), [&](const auto& one) {
                        return one.protocol == f_.proven->protocol;
                      });
    if (!same)
      return warn("path proven", fact, how + " over " + f_.ways.front().protocol);
    pass("path proven", fact);
  }

  void job() {
    if (!f_.job) return pass("no other job", "none is open");
    const auto fact =
        fmt::format("'{}', planned by {} at {}", f_.job->aim, f_.job->planned_by,
                    base::local_time(f_.job->planned_at));
    if (!f_.for_the_job) {
      return stop("no other job", fact,
                  fmt::format("vantro job take {}, or withdraw it", f_.device));
    }
    if (!f_.held.empty()) return stop("no other job", f_.held, "wait for its batch");
    if (!f_.asked_by.empty() && f_.job->owner != f_.asked_by) {
      return warn("no other job", fmt::format("{}; {} has it", fact, f_.job->owner),
                  fmt::format("vantro job take {}", f_.device));
    }
    pass("no other job", "this one: " + fact);
  }

  void window() {
    if (!f_.job || !f_.for_the_job) return;
    const auto& w = f_.job->window;
    if (!w.from && !w.until) return;
    const auto fact = fmt::format("{} to {}", w.from ? base::local_time(*w.from) : "now",
                                  w.until ? base::local_time(*w.until) : "open end");
    if (w.from && f_.now < *w.from) {
      return warn("change window", "opens later: " + fact, "wait for it");
    }
    if (w.until && f_.now > *w.until) {
      return stop("change window", "it is over: " + fact, "plan a new window");
    }
    pass("change window", fact);
  }

  void durations() {
    if (f_.durations.empty()) {
      if (f_.next) {
        unknown("expected time", "no earlier ones are known",
                fmt::format("fetch 'hello-1M' from {} to measure the path", f_.device));
      }
      return;
    }
    std::vector<std::string> parts;
    for (const auto& one : f_.durations) {
      const auto a = spell(one.shortest_ms);
      const auto b = spell(one.longest_ms);
      parts.push_back(
          fmt::format("{} {} ({})", one.phase, a == b ? a : a + " to " + b, one.from));
    }
    pass("expected time", fmt::format("{}", fmt::join(parts, "; ")));
  }

  void server() {
    if (f_.disk_free < f_.disk_reserve) {
      stop("server in order",
           fmt::format("{} free on the server's disk", base::size_text(f_.disk_free)),
           "free some space there; backups would be refused");
    } else if (!f_.trouble.empty()) {
      warn("server in order", fmt::format("{}", fmt::join(f_.trouble, "; ")),
           "see 'vantro status'");
    } else {
      pass("server in order",
           fmt::format("{} free on its disk", base::size_text(f_.disk_free)));
    }
  }

  const ReadinessFacts& f_;
  std::vector<Check> checks_;
};

}  // namespace

const char* word(Verdict verdict) {
  switch (verdict) {
    case Verdict::kPass:
      return "pass";
    case Verdict::kWarn:
      return "warn";
    case Verdict::kStop:
      return "stop";
    case Verdict::kUnknown:
      return "unknown";
  }
  return "";
}

std::vector<Check> readiness(const ReadinessFacts& facts) {
  return Checker(facts).check();
}

Verdict verdict_of(const std::vector<Check>& checks) {
  const auto any = [&](Verdict verdict) {
    return std::any_of(checks.begin(), checks.end(),
                       [&](const auto& one) { return one.verdict == verdict; });
  };
  for (const auto verdict : {Verdict::kStop, Verdict::kUnknown, Verdict::kWarn}) {
    if (any(verdict)) return verdict;
  }
  return Verdict::kPass;
}

std::string summary(const std::vector<Check>& checks) {
  std::vector<std::string> stops;
  std::size_t warnings = 0;
  std::size_t unknown = 0;
  for (const auto& one : checks) {
    if (one.verdict == Verdict::kStop) stops.push_back(one.name);
    if (one.verdict == Verdict::kWarn) ++warnings;
    if (one.verdict == Verdict::kUnknown) ++unknown;
  }
  if (!stops.empty()) return fmt::format("stop: {}", fmt::join(stops, ", "));
  std::string text = "ready";
  if (warnings > 0) {
    text += fmt::format(" with {} warning{}", warnings, warnings == 1 ? "" : "s");
  }
  if (unknown > 0) {
    text += fmt::format("{} {} unknown", warnings > 0 ? " and" : " with", unknown);
  }
  return text;
}

}  // namespace vantro::jobs
