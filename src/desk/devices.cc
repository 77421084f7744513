#include "desk/devices.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <set>

#include "base/counted.h"
#include "base/visible_name.h"
#include "jobs/jobs.h"
#include "repository/change.h"
#include "repository/job_changes.h"
#include "text/csv.h"
#include "text/nearest.h"

namespace vantro::desk {

using backup::Backups;
using base::Kind;
using fleet::Device;
using repository::Change;

namespace {

constexpr std::size_t kMostImported = 100'000;

// Everything about a device, including its state.
std::vector<std::string> all_field_names() {
  auto names = fleet::field_names();
  const auto& state = fleet::state_field_names();
  names.insert(names.end(), state.begin(), state.end());
  names.emplace_back("member");
  return names;
}

base::Outcome<void> set_fields(Device& device, fleet::Fields fields, base::WallTime now,
                               const std::string& by) {
  fleet::Origin origin{"", now, by};
  if (auto member = fields.extract("member")) origin.member = member.mapped();
  bool any_of_member = origin.member.empty();
  for (const auto& [field, text] : fields) {
    if (fleet::is_state_field(field)) {
      any_of_member = true;
      if (auto done = fleet::enter(device.state, field, text, origin); !done) return done;
      continue;
    }
    if (auto done = fleet::set_field(device, field, text); !done) {
      const auto names = all_field_names();
      auto refusal = done.error();
      if (std::find(names.begin(), names.end(), field) == names.end()) {
        refusal.sentence =
            fmt::format("'{}' is not a field of a device; there are {}",
                        base::printable(field, 40), fmt::join(names, ", "));
        refusal.nearest = text::nearest(field, names).value_or("");
      }
      return base::refuse(std::move(refusal));
    }
  }
  if (!any_of_member) {
    return base::refuse(Kind::kInvalid,
                        "member: give a value of that member, such as its running "
                        "version");
  }
  return {};
}

// "addresses 192.0.2.7; site harbour"
std::string values_of(const Device& device) {
  std::string text;
  for (const auto& field : fleet::field_names()) {
    const auto value = fleet::field_text(device, field);
    if (value.empty()) continue;
    text += fmt::format("{}{} {}", text.empty() ? "" : "; ", field, value);
  }
  for (const auto& field : fleet::state_field_names()) {
    const auto value = fleet::entered_text(device.state, field);
    if (value.empty()) continue;
    text += fmt::format("{}{} {}", text.empty() ? "" : "; ", field, value);
  }
  return text;
}

// "addresses: 192.0.2.7 -> 192.0.2.8; site: - -> harbour"
std::string differences(const Device& before, const Device& after) {
  std::string text;
  const auto add = [&](const std::string& name, const std::string& a,
                       const std::string& b) {
    if (a == b) return;
    text += fmt::format("{}{}: {} -> {}", text.empty() ? "" : "; ", name,
                        a.empty() ? "-" : a, b.empty() ? "-" : b);
  };
  add("name", before.name, after.name);
  for (const auto& field : fleet::field_names()) {
    add(field, fleet::field_text(before, field), fleet::field_text(after, field));
  }
  std::vector<std::string> members{""};
  for (const auto& one : after.state.members()) members.push_back(one);
  for (const auto& member : members) {
    for (const auto& field : fleet::state_field_names()) {
      add(member.empty() ? field : fmt::format("member {} {}", member, field),
          fleet::entered_text(before.state, field, member),
          fleet::entered_text(after.state, field, member));
    }
  }
  return text;
}

std::string moved_text(const std::vector<backup::Moved>& files) {
  std::int64_t revisions = 0;
  std::string merged;
  for (const auto& one : files) {
    revisions += one.revisions;
    if (one.merged) {
      merged += fmt::format("{}'{}'", merged.empty() ? "" : ", ", one.name);
    }
  }
  return fmt::format("{} of {}{}", base::counted(revisions, "revision"),
                     base::counted(files.size(), "file"),
                     merged.empty() ? "" : "; numbered again by time: " + merged);
}

// The table's first line: the field of each column.
base::Outcome<std::vector<std::string>> columns_of(const text::CsvRow& row) {
  auto known = all_field_names();
  known.insert(known.begin(), "name");
  std::vector<std::string> columns;
  for (const auto& typed : row.fields) {
    auto column = base::folded(typed);
    std::replace(column.begin(), column.end(), ' ', '_');
    if (std::find(known.begin(), known.end(), column) == known.end()) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("line {}: '{}' is not a column; there are {}", row.line,
                      base::printable(typed, 40), fmt::join(known, ", ")),
          text::nearest(column, known).value_or(""));
    }
    if (std::find(columns.begin(), columns.end(), column) != columns.end()) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("line {}: column '{}' is there twice", row.line, column));
    }
    columns.push_back(std::move(column));
  }
  if (std::find(columns.begin(), columns.end(), "name") == columns.end()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("line {}: the first line must name the columns, and "
                                    "one of them must be 'name'",
                                    row.line));
  }
  return columns;
}

struct ImportRow {
  std::size_t line = 0;
  std::string name;
  fleet::Fields fields;
};

base::Outcome<std::vector<ImportRow>> rows_of(const std::string& csv) {
  const auto table = text::parse_csv(csv);
  if (!table) return base::refuse(table.error());
  if (table->size() < 2) {
    return base::refuse(Kind::kInvalid,
                        "the table holds no devices: its first line names the columns, "
                        "each further line is a device");
  }
  if (table->size() > kMostImported) {
    return base::refuse(Kind::kTooLarge,
                        fmt::format("at most {} devices at once", kMostImported));
  }
  const auto columns = columns_of(table->front());
  if (!columns) return base::refuse(columns.error());
  std::vector<ImportRow> rows;
  std::set<std::string> seen;
  for (std::size_t i = 1; i < table->size(); ++i) {
    const auto& line = (*table)[i];
    const auto bad = [&](const std::string& why) {
      return base::refuse(Kind::kInvalid, fmt::format("line {}: {}", line.line, why));
    };
    if (line.fields.size() != columns->size()) {
      return bad(fmt::format("{} fields, but {} columns are named", line.fields.size(),
                             columns->size()));
    }
    ImportRow row{line.line, {}, {}};
    for (std::size_t c = 0; c < columns->size(); ++c) {
      if ((*columns)[c] != "name") {
        row.fields[(*columns)[c]] = line.fields[c];
        continue;
      }
      auto name = fleet::device_name(line.fields[c]);
      if (!name) return bad(name.error().sentence);
      row.name = std::move(*name);
    }
    // A stack has a line for each member.
    const auto member = row.fields.find("member");
    if (!seen.insert(base::folded(row.name) + "\n" +
                     (member == row.fields.end() ? "" : member->second))
             .second) {
      return bad(fmt::format("device {} is there twice", row.name));
    }
    rows.push_back(std::move(row));
  }
  return rows;
}

}  // namespace

template <class F>
auto Devices::changing(F work)
    -> decltype(work(std::declval<db::Transaction&>(), std::declval<Change&>())) {
  // Rows that wait in memory belong to some device's history as well.
  if (auto written = repository_.ledger.flush(); !written) {
    return base::refuse(written.error());
  }
  return repository::change(repository_, caller_.by(), std::move(work));
}

base::Outcome<Device> Devices::add(const std::string& typed,
                                   const fleet::Fields& fields) {
  auto name = fleet::device_name(typed);
  if (!name) return base::refuse(name.error());
  Device device;
  device.name = std::move(*name);
  device.made_at = device.changed_at = repository_.clock.wall();
  if (auto done = set_fields(device, fields, device.made_at, caller_.name); !done) {
    return base::refuse(done.error());
  }
  return changing([&](db::Transaction& t, Change& change) -> base::Outcome<Device> {
    auto added = fleet::Devices::add(t, device);
    if (added) change.record(t, "device-add", device.name, "", values_of(*added));
    return added;
  });
}

base::Outcome<Device> Devices::change(const std::string& typed,
                                      const fleet::Fields& fields) {
  return changing([&](db::Transaction& t, Change& change) -> base::Outcome<Device> {
    const auto before = fleet::Devices::get(t, typed);
    if (!before) return base::refuse(before.error());
    auto device = *before;
    auto rest = fields;
    if (const auto renamed = rest.extract("name")) {
      auto name = fleet::device_name(renamed.mapped());
      if (!name) return base::refuse(name.error());
      device.name = std::move(*name);
    }
    device.changed_at = change.now();
    if (auto done = set_fields(device, rest, change.now(), caller_.name); !done) {
      return base::refuse(done.error());
    }
    if (auto done = fleet::Devices::change(t, device); !done)
      return base::refuse(done.error());
    if (device.name != before->name) {
      ledger::Ledger::rename(t, before->name, device.name);
    }
    change.record(t, "device-edit", device.name, "", differences(*before, device));
    return device;
  });
}

base::Outcome<Claimed> Devices::remove(const std::string& typed) {
  return changing([&](db::Transaction& t, Change& change) -> base::Outcome<Claimed> {
    const auto device = fleet::Devices::get(t, typed);
    if (!device) return base::refuse(device.error());
    Claimed result;
    result.holder = {device->id, device->name};
    if (const auto job = jobs::Jobs::open_of(t, device->id)) {
      repository::end_job(t, change, *job, jobs::JobState::kWithdrawn,
                          "the device was removed from the inventory");
    }
    result.files = Backups::give_back(t, result.holder);
    t.run("delete from backup_offers where device = :d", {device->id});
    fleet::Devices::remove(t, device->id);
    // Else the next device of that name would inherit it all.
    ledger::Ledger::rename(t, device->name, "");
    change.record(t, "device-remove", device->name, "",
                  result.files.empty()
                      ? ""
                      : moved_text(result.files) + " stand under their addresses now");
    return result;
  });
}

base::Outcome<Claimed> Devices::claim(const std::string& typed_address,
                                      const std::string& typed_name) {
  const auto address = base::Address::parse(typed_address);
  if (!address) {
    return base::refuse(Kind::kInvalid, fmt::format("'{}' is not an IP address",
                                                    base::printable(typed_address, 60)));
  }
  return changing([&](db::Transaction& t, Change& change) -> base::Outcome<Claimed> {
    auto device = fleet::Devices::get(t, typed_name);
    if (!device) return base::refuse(device.error());
    const auto owner = repository_.inventory.holder_of(*address);
    const auto own = *base::Network::parse(address->text());
    const bool is_own = std::any_of(device->networks.begin(), device->networks.end(),
                                    [&](const auto& one) { return one == own; });
    if (owner.device != device->id && !is_own) {
      // A single address may be taken from another device's network.
      device->networks.push_back(own);
      device->changed_at = repository_.clock.wall();
      if (auto done = fleet::Devices::change(t, *device); !done) {
        return base::refuse(done.error());
      }
    }
    Claimed result;
    result.holder = {device->id, device->name};
    result.files = Backups::give_to(t, {0, address->text()}, result.holder);
    result.ledger_rows = ledger::Ledger::give(t, address->text(), device->name);
    change.record(t, "device-claim", device->name, "",
                  fmt::format("{}: {}", address->text(), moved_text(result.files)));
    return result;
  });
}

base::Outcome<repository::ReportRead> Devices::read_report(
    const std::string& typed, const std::string& text, const text::ReportReader& reader,
    bool really) {
  const auto known = repository_.devices.find(typed);
  if (!known) return base::refuse(known.error());
  if (!reader.knows(known->platform)) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("no patterns are known for reports of platform '{}'; "
                                    "write them as [[report]] into vantro.toml",
                                    known->platform));
  }
  const auto read = [&](db::Transaction& t, base::WallTime now) {
    return repository::read_report(t, reader, known->id, text,
                                   {"", now, "pasted by " + caller_.name}, really);
  };
  if (!really) {
    return repository_.database->read(
        [&](db::Transaction& t) -> base::Outcome<repository::ReportRead> {
          return read(t, repository_.clock.wall());
        });
  }
  return changing(
      [&](db::Transaction& t, Change& change) -> base::Outcome<repository::ReportRead> {
        auto result = read(t, change.now());
        change.record(t, "device-read", known->name, "",
                      fmt::format("{} learnt, {} not understood",
                                  base::counted(result.learnt.size(), "value"),
                                  base::counted(result.not_understood.size(), "line")));
        return result;
      });
}

base::Outcome<Imported> Devices::import(const std::string& csv, bool really) {
  const auto rows = rows_of(csv);
  if (!rows) return base::refuse(rows.error());
  Imported result;
  const base::Refusal dry{Kind::kInvalid, "not really"};
  bool all = false;
  auto done = changing([&](db::Transaction& t,
                           Change& change) -> base::Outcome<Imported> {
    std::map<std::string, Device> known;
    const auto now = change.now();
    // Addresses that move from one device to another within the table are freed first.
    for (const auto& row : *rows) {
      auto device = fleet::Devices::get(t, row.name);
      if (!device) continue;
      if (row.fields.contains("addresses")) {
        t.run("delete from device_networks where device = :d", {device->id});
      }
      known.emplace(row.name, std::move(*device));
    }
    for (const auto& row : *rows) {
      const auto bad = [&](const base::Refusal& why) {
        return base::refuse(
            why.kind, fmt::format("line {}: {}: {}", row.line, row.name, why.sentence),
            why.nearest);
      };
      const auto found = known.find(row.name);
      auto device = found == known.end() ? Device{} : found->second;
      device.name = row.name;
      auto fields = row.fields;
      // An empty cell of a column says nothing about the state.
      std::erase_if(fields, [](const auto& one) {
        return one.second.empty() &&
               (fleet::is_state_field(one.first) || one.first == "member");
      });
      if (auto applied = set_fields(device, std::move(fields), now, caller_.name);
          !applied) {
        return bad(applied.error());
      }
      device.changed_at = now;
      if (found == known.end()) {
        device.made_at = now;
        auto added = fleet::Devices::add(t, device);
        if (!added) return bad(added.error());
        known.emplace(row.name, std::move(*added));
        result.added.push_back(row.name);
        continue;
      }
      const auto changes = differences(found->second, device);
      if (auto changed = fleet::Devices::change(t, device); !changed) {
        return bad(changed.error());
      }
      found->second = device;
      auto& names = changes.empty() ? result.unchanged : result.changed;
      const bool told = std::find(names.begin(), names.end(), row.name) != names.end() ||
                        (!result.added.empty() && result.added.back() == row.name);
      if (!told) names.push_back(row.name);
    }
    all = true;
    if (!really) return base::refuse(dry);
    change.record(t, "device-import", "", "",
                  fmt::format("{} added, {} changed, {} unchanged", result.added.size(),
                              result.changed.size(), result.unchanged.size()));
    return result;
  });
  if (!done && all && !really) return result;
  return done;
}

base::Outcome<std::string> Devices::known_site(const std::string& typed) const {
  Device checked;
  if (auto sound = fleet::set_field(checked, "site", typed); !sound) {
    return base::refuse(sound.error());
  }
  if (checked.site.empty()) return base::refuse(Kind::kInvalid, "a site needs a name");
  const auto scheduled = repository_.devices.sites();
  if (!scheduled) return base::refuse(scheduled.error());
  const auto devices = repository_.devices.all();
  if (!devices) return base::refuse(devices.error());
  std::vector<std::string> known;
  for (const auto& one : *scheduled) known.push_back(one.name);
  for (const auto& one : *devices) known.push_back(one.site);
  for (const auto& one : known) {
    if (base::folded(one) == base::folded(checked.site)) return one;
  }
  std::erase(known, "");
  return base::refuse(
      Kind::kNotFound,
      fmt::format("no device is at site '{0}'; put one there first: vantro device change "
                  "NAME --site '{0}'",
                  base::printable(checked.site)),
      text::nearest(checked.site, known).value_or(""));
}

base::Outcome<std::string> Devices::set_site(const std::string& typed,
                                             std::int64_t backup_every) {
  auto site = known_site(typed);
  if (!site) return site;
  const auto done =
      changing([&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        fleet::Devices::set_site(t, {*site, backup_every});
        change.record(t, "site-edit", *site, "",
                      "backup_every: " + fleet::every_text(backup_every));
        return {};
      });
  if (!done) return base::refuse(done.error());
  return site;
}

}  // namespace vantro::desk
