#include "daemon/reload.h"

#include <fmt/format.h>
#include <set>

#include "base/clock.h"
#include "daemon/configs.h"
#include "daemon/in_force.h"
#include "daemon/node_name.h"
#include "daemon/port_holder.h"

namespace vantro::daemon {
namespace {

std::string list(const std::vector<api::SettingChange>& changes) {
  std::vector<std::string> names;
  for (const auto& one : changes) names.push_back(one.name);
  return fmt::format("{}", fmt::join(names, ", "));
}

// Those of `keys`, with both values.
std::vector<api::SettingChange> told(const std::set<std::string>& keys,
                                     const Settings& before, const Settings& after) {
  std::vector<api::SettingChange> changes;
  const auto old = about(before);
  const auto fresh = about(after);
  for (std::size_t i = 0; i < fresh.size(); ++i) {
    if (!keys.contains(fresh[i].key)) continue;
    // A table is described by its number.
    changes.push_back({fresh[i].key, old[i].value,
                       old[i].value == fresh[i].value ? "changed" : fresh[i].value});
  }
  return changes;
}

}  // namespace

base::Outcome<api::Reloaded> Reload::run(bool dry_run, const repository::By& by) {
  const base::Lock lock(one_at_a_time_);
  auto read = settings_of(options_);
  if (!read) {
    log_.error("the settings were not reloaded; the old ones stay",
               {{"why", read.error().sentence}});
    return base::refuse(read.error());
  }
  const auto before = live_.get();
  // Settings that wait for a restart are listed each time.
  std::set<std::string> now, later;
  const auto since_reload = differing(before->given, read->given);
  const auto since_start = differing(options_.settings.given, read->given);
  for (const auto& one : about(*read)) {
    const bool can = reloads(one, options_.settings.given);
    if (can && since_reload.contains(one.key)) now.insert(one.key);
    if (!can && since_start.contains(one.key)) later.insert(one.key);
  }
  api::Reloaded done;
  done.dry_run = dry_run;
  done.now = told(now, *before, *read);
  done.at_restart = told(later, options_.settings, *read);
  if (dry_run) return done;
  if (auto moved = move_listeners(*before, *read); !moved) {
    log_.error("the settings were not reloaded; the old ones stay",
               {{"why", moved.error().sentence}});
    return base::refuse(moved.error());
  }
  room_.limit(static_cast<std::size_t>(read->limits.connections));
  log_.least(read->log.level);
  gate_.use(gate_config(*read, gate_.config()->look.program));
  // Of settings that wait for a restart, the old values are in force.
  Given given = options_.settings.given;
  for (const auto& one : about(*read)) {
    if (!one.reloadable || later.contains(one.key)) continue;
    given.erase(one.key);
    const auto fresh = read->given.find(one.key);
    if (fresh != read->given.end()) given.insert(*fresh);
  }
  if (auto saved = save_in_force(own_state(options_.settings), given); !saved) {
    done.failures.push_back(saved.error().sentence);
  }
  live_.set(std::make_shared<const Settings>(std::move(*read)));
  log_.info("the settings were reloaded",
            {{"changed", now.empty() ? "nothing" : list(done.now)},
             {"by", by.name},
             {"request", by.request}});
  if (!later.empty()) {
    log_.warning("these settings take effect when vantrod is restarted",
                 {{"settings", list(done.at_restart)}});
  }
  certificates(done);
  if (!now.empty()) {
    repository_.record_event("server-reload", by, "changed: " + list(done.now));
  }
  return done;
}

base::Outcome<void> Reload::move_listeners(const Settings& from, const Settings& to) {
  for (std::size_t i = 0; i < fronts_.size(); ++i) {
    const auto& one = fronts_[i];
    if (!one.terms || one.terms(from) == one.terms(to)) continue;
    base::Outcome<void> ready;
    if (one.prepare && !one.terms(to).nowhere()) ready = one.prepare();
    tl::expected<void, net::BindFailure> moved;
    if (ready) moved = one.front->change(one.terms(to));
    if (ready && moved) continue;
    for (std::size_t undone = 0; undone < i; ++undone) {
      const auto& other = fronts_[undone];
      if (!other.terms || other.terms(from) == other.terms(to)) continue;
      static_cast<void>(other.front->change(other.terms(from)));
    }
    if (!ready) return ready;
    return base::refuse(base::Kind::kIo,
                        bind_sentence(one.title, one.transport, moved.error().where,
                                      moved.error().error_number, one.flag));
  }
  return {};
}

void Reload::certificates(api::Reloaded& done) {
  // HTTPS and FTP may share theirs.
  const std::set<std::shared_ptr<crypto::TlsServer>> all{options_.tls, options_.ftp_tls,
                                                         management_};
  for (const auto& one : all) {
    if (!one) continue;
    const auto other = one->reload();
    if (!other) {
      log_.error("a certificate was not reloaded; the old one stays",
                 {{"why", other.error().sentence}});
      done.failures.push_back(other.error().sentence);
    } else if (*other) {
      log_.info("a certificate was reloaded",
                {{"file", one->certificate_file()},
                 {"good until", base::local_time(one->valid_until())},
                 {"sha256", one->fingerprint()}});
      done.certificates.push_back(fmt::format("{}: good until {}",
                                              one->certificate_file(),
                                              base::local_time(one->valid_until())));
    }
  }
}

}  // namespace vantro::daemon
