#include "manage/convert_backups.h"

#include "desk/planning.h"
#include "manage/convert.h"
#include "manage/convert_jobs.h"

namespace vantro::manage {
namespace {

std::optional<std::string> time_or_null(base::WallTime time) {
  if (time == 0) return std::nullopt;
  return base::iso_time(time);
}

const char* word(desk::FileReport::What what) {
  using What = desk::FileReport::What;
  switch (what) {
    case What::kChanged:
      return "changed";
    case What::kUnchanged:
      return "unchanged";
    case What::kFirst:
      return "first";
    case What::kBrokeOff:
      return "broke-off";
  }
  return "";
}

api::FileReport shape(const desk::FileReport& file) {
  api::FileReport result;
  result.what = word(file.what);
  result.holder = file.holder.name;
  result.name = file.name;
  result.revisions = file.revisions;
  if (file.before) result.before = file.before->number;
  if (file.after) {
    result.after = file.after->number;
    result.arrived_at = base::iso_time(file.after->arrived_at);
    result.size = file.after->size;
    result.why = file.after->why;
  }
  if (!file.note.empty()) result.why = file.note;
  if (file.comparison) result.comparison = manage::shape(*file.comparison);
  return result;
}

}  // namespace

api::Backup shape(const backup::Revision& revision) {
  api::Backup result;
  result.holder = revision.holder.name;
  result.device = revision.holder.device != 0;
  result.address = revision.address;
  result.name = revision.name;
  result.revision = revision.number;
  result.complete = revision.complete;
  result.size = revision.size;
  result.announced = revision.announced;
  if (revision.complete) result.digests = shape(revision.digests);
  result.arrived_at = base::iso_time(revision.arrived_at);
  result.protocol = revision.protocol;
  result.account = revision.account;
  result.why = revision.why;
  result.ending = backup::word(revision.ending);
  result.kept = revision.complete || !revision.partial_file.empty();
  result.kind = backup::word(revision.kind);
  result.text = revision.text;
  result.changed = revision.changed;
  result.last_seen_at = base::iso_time(revision.last_seen_at);
  result.times_seen = revision.times_seen;
  result.pinned = revision.pinned_at.has_value();
  result.pinned_why = revision.pinned_why;
  result.inside = revision.verdict;
  result.finding = revision.finding;
  return result;
}

api::BackupFile shape(const desk::FileState& state) {
  const auto& file = state.file;
  api::BackupFile result;
  result.holder = file.holder.name;
  result.device = file.holder.device != 0;
  result.site = file.site;
  result.name = file.name;
  result.revisions = file.revisions;
  result.revision = file.number;
  result.kind = backup::word(file.kind);
  result.arrived_at = time_or_null(file.arrived_at);
  result.seen_at = time_or_null(file.seen_at);
  result.size = file.size;
  result.usual_size = file.usual_size;
  result.shrunk = state.shrunk;
  result.doubt = state.doubt;
  result.changes = state.changes;
  result.broken_at = time_or_null(file.broken_at);
  return result;
}

api::Expected shape(const desk::Expectation& expectation) {
  return {expectation.device,
          expectation.site,
          fleet::every_text(expectation.every),
          time_or_null(expectation.seen_at),
          base::iso_time(expectation.since),
          expectation.overdue};
}

api::TextComparison shape(const backup::Comparison& comparison) {
  api::TextComparison result{comparison.same_bytes,
                             comparison.same,
                             comparison.removed,
                             comparison.added,
                             comparison.left_out,
                             comparison.masked,
                             comparison.doubtful,
                             comparison.without_secrets,
                             {}};
  for (const auto& hunk : comparison.hunks) {
    api::DiffHunk shown{hunk.sections, {}};
    for (const auto& line : hunk.lines) {
      shown.lines.push_back(
          {std::string(1, line.sign), line.before, line.after, line.text});
    }
    result.hunks.push_back(std::move(shown));
  }
  return result;
}

api::ComparedSide shape(const desk::Compared& side) {
  api::ComparedSide result;
  result.title = side.title;
  if (side.revision) {
    result.holder = side.revision->holder.name;
    result.name = side.revision->name;
    result.revision = side.revision->number;
    result.arrived_at = base::iso_time(side.revision->arrived_at);
  }
  return result;
}

api::ChangeReport shape(const desk::ChangeReport& report) {
  api::ChangeReport result{
      base::iso_time(report.from), base::iso_time(report.to), {}, {}};
  for (const auto& one : report.files) result.files.push_back(shape(one));
  for (const auto& one : report.overdue) result.overdue.push_back(shape(one));
  return result;
}

api::BackupOffer shape(const backup::BackupOffer& offer) {
  return {offer.name,
          offer.to.name,
          offer.revision.holder.name,
          offer.revision.name,
          offer.revision.number,
          offer.revision.size,
          base::iso_time(offer.since),
          base::iso_time(offer.until),
          {}};
}

api::ThinnedOut shape(const desk::ThinnedOut& thinned) {
  api::ThinnedOut result{thinned.done, thinned.revisions, thinned.bytes, thinned.kept,
                         {},           thinned.next};
  for (const auto& file : thinned.files) {
    api::ThinnedFile one{file.holder.name, file.name, {}};
    for (const auto& judged : file.revisions) {
      one.revisions.push_back({judged.revision.number,
                               base::iso_time(judged.revision.arrived_at),
                               judged.revision.size, judged.goes, judged.why});
    }
    result.files.push_back(std::move(one));
  }
  return result;
}

api::Claimed shape(const desk::Claimed& claimed) {
  api::Claimed result{claimed.holder.name, {}, claimed.ledger_rows};
  for (const auto& one : claimed.files) {
    result.files.push_back({one.name, one.revisions, one.merged});
  }
  return result;
}

api::Device shape(const fleet::Device& device) {
  api::Device result;
  result.name = device.name;
  result.addresses = fleet::field_text(device, "addresses");
  result.link_address = device.link_address;
  result.maker = device.maker;
  result.platform = device.platform;
  result.hardware = device.hardware;
  result.site = device.site;
  result.remarks = device.remarks;
  result.backup_every = fleet::field_text(device, "backup_every");
  result.quota = fleet::field_text(device, "quota");
  result.made_at = base::iso_time(device.made_at);
  result.changed_at = base::iso_time(device.changed_at);
  result.running_version = desk::running_versions(device.state).version;
  for (const auto& one : device.state.values()) result.state.push_back(shape(one));
  return result;
}

}  // namespace vantro::manage
