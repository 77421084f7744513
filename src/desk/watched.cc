#include "desk/watched.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>

#include "base/sizes.h"
#include "desk/backup_reports.h"

namespace vantro::desk {
namespace {

constexpr std::uint64_t kLittleSpace = std::uint64_t{256} << 20;
constexpr std::size_t kMostAsked = 1000;
constexpr std::int64_t kMostRows = 5000;

std::int64_t milliseconds(std::chrono::milliseconds time) { return time.count(); }

std::string who(const std::string& device, const std::string& address) {
  return device.empty() ? address : device;
}

}  // namespace

Watched::Watched(repository::Repository& repository, gate::Gate& gate,
                 WatchedOutside outside)
    : repository_(repository), gate_(gate), outside_(std::move(outside)) {
  gate_.on_other_platform(
      [this](const gate::Asker& asker, const std::string& name, const std::string& what) {
        const auto device = repository_.inventory.device_at(asker.peer.address);
        const base::Lock lock(mutex_);
        if (other_platform_.size() >= kMostAsked) return;
        other_platform_[who(device, asker.peer.address.text())] =
            fmt::format("asked for '{}': {}", name, what);
      });
}

Watched::~Watched() { gate_.on_other_platform({}); }

void Watched::place(Wrong& wrong) const {
  const auto& folder = repository_.folder;
  const auto free = folder.free_bytes();
  const auto least = std::max(outside_.reserve(), kLittleSpace);
  if (folder.reserve().given_up() || free < least) {
    wrong[{"disk-low", ""}] =
        fmt::format("{} free on the disk of {}, less than {}", base::size_text(free),
                    folder.path(), base::size_text(least));
  }
  if (auto written = folder.try_writing(); !written) {
    wrong[{"database-failing", ""}] =
        "the state folder can't be written: " + written.error().sentence;
  } else if (auto failure = repository_.database->write_failure()) {
    wrong[{"database-failing", ""}] =
        "the last change could not be written: " + failure->sentence;
  }
  if (const auto failing = repository_.ledger.failing()) {
    wrong[{"ledger-behind", ""}] = fmt::format(
        "rows of the ledger wait to be written: {} ({})", failing->waiting, failing->why);
  }
  for (const auto& [what, sentence] : outside_.certificates()) {
    wrong[{"certificate-expiring", what}] = sentence;
  }
}

void Watched::transfers(Wrong& wrong) const {
  for (const auto& one : gate_.transfers().view()) {
    if (one.state != gate::State::kRunning || !one.stalled_ms ||
        *one.stalled_ms < milliseconds(kStalledFor)) {
      continue;
    }
    wrong[{"transfer-stalled", who(one.device, one.peer) + " " + one.name}] = fmt::format(
        "{} of '{}' over {} has not moved for {} s, at {}{}", word(one.direction),
        one.name, one.protocol, *one.stalled_ms / 1000, base::size_text(one.bytes),
        one.total ? " of " + base::size_text(*one.total) : "");
  }
}

void Watched::refusals(Wrong& wrong, bool before) {
  const auto now = gate_.clock().now();
  const auto count = gate_.refused();
  refused_.emplace_back(now, count);
  while (refused_.front().first + kManyWithin < now) refused_.pop_front();
  const auto lately = count - refused_.front().second;
  if (lately < (before ? kFew : kMany)) return;
  wrong[{"many-refusals", ""}] = fmt::format(
      "{} requests of devices were refused in the last {} minutes; 'vantro ledger "
      "--outcome refused' shows them",
      lately, kManyWithin.count());
}

base::Outcome<void> Watched::records(Wrong& wrong) const {
  return repository_.database->read([&](db::Transaction& t) -> base::Outcome<void> {
    for (const auto& row :
         t.query("select sha256 from images where whole = 0 union select sha256 from "
                 "revisions where whole = 0 union select sha256 from documents where "
                 "whole = 0 and removed_at is null")) {
      const auto names = repository::Contents::names_of(t, row.text(0));
      wrong[{"damage-found", row.text(0).substr(0, 16)}] = fmt::format(
          "stored bytes are damaged or missing: {}; add the same file again to "
          "mend it",
          names);
    }
    for (const auto& row : t.query("select name from images where vouching = "
                                   "'contradicted' and withdrawn_at is null")) {
      wrong[{"image-contradicted", row.text(0)}] = fmt::format(
          "'{}' differs from its maker's checksum, and is not handed out", row.text(0));
    }
    return {};
  });
}

base::Outcome<void> Watched::backups(Wrong& wrong) const {
  const auto overview = BackupReports(repository_).overview(gate_.clock().wall());
  if (!overview) return base::refuse(overview.error());
  for (const auto& one : overview->expected) {
    if (!one.overdue) continue;
    if (one.seen_at == 0) {
      wrong[{"backup-missing", one.device}] =
          fmt::format("no backup of {} was ever received; expected since {}", one.device,
                      base::local_time(one.since));
    } else {
      wrong[{"backup-overdue", one.device}] = fmt::format(
          "the last backup of {} arrived {}", one.device, base::local_time(one.seen_at));
    }
  }
  for (const auto& one : overview->files) {
    if (!one.shrunk) continue;
    wrong[{"backup-shrunken", one.file.holder.name + " " + one.file.name}] = fmt::format(
        "'{}' of {} has {}; the usual size is {}", one.file.name, one.file.holder.name,
        base::size_text(one.file.size), base::size_text(one.file.usual_size.value_or(0)));
  }
  return {};
}

base::Outcome<std::vector<Watched::Row>> Watched::new_rows() {
  using Rows = std::vector<Row>;
  return repository_.database->read([&](db::Transaction& t) -> base::Outcome<Rows> {
    Rows rows;
    const auto newest = t.query("select coalesce(max(id), 0) from ledger");
    const auto last = newest.front().integer(0);
    std::int64_t looked_at = 0;
    std::int64_t count = 0;
    // Problems from before the start were reported then, or are old.
    if (last_row_ == 0) last_row_ = std::max<std::int64_t>(last, 1);
    for (const auto& row : t.query(
             "select id, at, event, actor, device, name, outcome, sentence from ledger "
             "where id > :i and event in ('fetch', 'deposit', 'push', 'job-failed', "
             "'job-plan', 'job-confirmed') order by id limit :m",
             {last_row_, kMostRows})) {
      looked_at = row.integer(0);
      ++count;
      const auto outcome = row.text(6);
      const auto event = row.text(2);
      if (event.starts_with("job-")) {
        rows.push_back(
            {"job-failed", event == "job-failed", row.text(5),
             fmt::format("the job of {} failed: {}", row.text(5), row.text(7))});
        continue;
      }
      const auto subject = who(row.text(4), row.text(3)) + " " + row.text(5);
      if (outcome != "complete" && outcome != "failed" && outcome != "abandoned") {
        continue;
      }
      rows.push_back(
          {"transfer-failed", outcome != "complete", subject,
           fmt::format("{} of '{}' {}: {}", event, row.text(5), outcome, row.text(7))});
    }
    // The rest of a long list follows next time.
    last_row_ = std::max(last_row_, count < kMostRows ? last : looked_at);
    return rows;
  });
}

bool Watched::is_of_here(const std::string& event) {
  constexpr std::array<std::string_view, 7> kHere{
      "transfer-stalled", "wrong-platform",   "many-refusals",       "disk-low",
      "ledger-behind",    "database-failing", "certificate-expiring"};
  return std::find(kHere.begin(), kHere.end(), event) != kHere.end();
}

// A past event, which counts until the same action succeeds.
void Watched::keep_past(Wrong& wrong, const Before& before,
                        std::initializer_list<const char*> events) const {
  const auto now = gate_.clock().wall();
  for (const auto& [key, since] : before) {
    const bool happened =
        std::find(events.begin(), events.end(), key.first) != events.end();
    if (happened && since + milliseconds(kHolds) > now) wrong.emplace(key, "");
  }
}

Wrong Watched::look_here(const Before& before) {
  Wrong wrong;
  place(wrong);
  transfers(wrong);
  refusals(wrong, before.contains({"many-refusals", ""}));
  keep_past(wrong, before, {"wrong-platform"});
  const base::Lock lock(mutex_);
  for (auto& [subject, sentence] : std::exchange(other_platform_, {})) {
    wrong[{"wrong-platform", subject}] = sentence;
  }
  return wrong;
}

Wrong Watched::look_at_records(const Before& before) {
  const auto now = gate_.clock().wall();
  Wrong wrong;
  const auto as_before = [&](Wrong& to, std::initializer_list<const char*> events) {
    for (const auto& one : before) {
      const auto& key = one.first;
      const bool meant =
          std::any_of(events.begin(), events.end(),
                      [&](const char* event) { return key.first == event; });
      if (meant) to.emplace(key, "");
    }
  };
  for (const auto& one : repository_.snapshot()->rescues->all()) {
    wrong[{"rescue-opened", fmt::format("#{}", one->id)}] = fmt::format(
        "a rescue session is open on {} for {}", one->interface,
        one->device_name.empty() ? "the device on its interface" : one->device_name);
  }
  if (!records(wrong)) as_before(wrong, {"damage-found", "image-contradicted"});
  if (!nodes(wrong)) as_before(wrong, {"node-gone"});
  if (!mirrors(wrong, now)) as_before(wrong, {"mirror-silent"});
  if (now >= backups_looked_at_ + milliseconds(kLooksAtBackupsEvery) ||
      backups_looked_at_ == 0) {
    backups_.clear();
    backups_looked_at_ = now;
    if (!backups(backups_)) {
      as_before(backups_, {"backup-overdue", "backup-missing", "backup-shrunken"});
    }
  }
  wrong.insert(backups_.begin(), backups_.end());
  keep_past(wrong, before, {"transfer-failed", "job-failed"});
  if (const auto rows = new_rows()) {
    for (const auto& one : *rows) {
      if (one.failed) {
        wrong[{one.event, one.subject}] = one.sentence;
      } else {
        wrong.erase({one.event, one.subject});
      }
    }
  }
  return wrong;
}

base::Outcome<void> Watched::nodes(Wrong& wrong) const {
  if (repository_.nodes.alone()) return {};
  const auto all = repository_.nodes.list();
  if (!all) return base::refuse(all.error());
  for (const auto& one : *all) {
    if (one.state != repository::Node::State::kSilent) continue;
    wrong[{"node-gone", one.name}] =
        fmt::format("the node '{}' on {} has not reported since {}", one.name, one.host,
                    base::local_time(one.seen_at));
  }
  return {};
}

base::Outcome<void> Watched::mirrors(Wrong& wrong, base::WallTime now) const {
  const auto before = now - milliseconds(kMirrorSilentFor);
  return repository_.database->read([&](db::Transaction& t) -> base::Outcome<void> {
    for (const auto& row :
         t.query("select name, seen_at from mirrors where seen_at < :b", {before})) {
      wrong[{"mirror-silent", row.text(0)}] =
          fmt::format("the mirror '{}' has not asked since {}", row.text(0),
                      base::local_time(row.integer(1)));
    }
    return {};
  });
}

}  // namespace vantro::desk
