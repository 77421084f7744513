#include "api/backups.h"

#include "api/fields.h"

namespace vantro::api {

using nlohmann::json;

static void fields(Some<Backup> auto& x, auto visit) {
  visit("holder", x.holder);
  visit("device", x.device);
  visit("address", x.address);
  visit("name", x.name);
  visit("revision", x.revision);
  visit("complete", x.complete);
  visit("size", x.size);
  visit("announced", x.announced);
  visit("digests", x.digests);
  visit("arrived_at", x.arrived_at);
  visit("protocol", x.protocol);
  visit("account", x.account);
  visit("why", x.why);
  visit("ending", x.ending);
  visit("kept", x.kept);
  visit("kind", x.kind);
  visit("text", x.text);
  visit("changed", x.changed);
  visit("last_seen_at", x.last_seen_at);
  visit("times_seen", x.times_seen);
  visit("pinned", x.pinned);
  visit("pinned_why", x.pinned_why);
  visit("recognised", x.recognised);
  visit("image", x.image);
  visit("secrets", x.secrets);
}

static void fields(Some<BackupFile> auto& x, auto visit) {
  visit("holder", x.holder);
  visit("device", x.device);
  visit("site", x.site);
  visit("name", x.name);
  visit("revisions", x.revisions);
  visit("revision", x.revision);
  visit("kind", x.kind);
  visit("arrived_at", x.arrived_at);
  visit("seen_at", x.seen_at);
  visit("size", x.size);
  visit("usual_size", x.usual_size);
  visit("shrunk", x.shrunk);
  visit("changes", x.changes);
  visit("broken_at", x.broken_at);
}

static void fields(Some<Expected> auto& x, auto visit) {
  visit("device", x.device);
  visit("site", x.site);
  visit("every", x.every);
  visit("seen_at", x.seen_at);
  visit("since", x.since);
  visit("overdue", x.overdue);
}

static void fields(Some<BackupOverview> auto& x, auto visit) {
  visit("days", x.days);
  visit("files", x.files);
  visit("expected", x.expected);
}

static void fields(Some<ComparedSide> auto& x, auto visit) {
  visit("title", x.title);
  visit("holder", x.holder);
  visit("name", x.name);
  visit("revision", x.revision);
  visit("arrived_at", x.arrived_at);
}

static void fields(Some<DiffLine> auto& x, auto visit) {
  visit("sign", x.sign);
  visit("before", x.before);
  visit("after", x.after);
  visit("text", x.text);
}

static void fields(Some<DiffHunk> auto& x, auto visit) {
  visit("sections", x.sections);
  visit("lines", x.lines);
}

static void fields(Some<TextComparison> auto& x, auto visit) {
  visit("same_bytes", x.same_bytes);
  visit("same", x.same);
  visit("removed", x.removed);
  visit("added", x.added);
  visit("left_out", x.left_out);
  visit("masked", x.masked);
  visit("hunks", x.hunks);
}

static void fields(Some<Compared> auto& x, auto visit) {
  visit("before", x.before);
  visit("after", x.after);
  visit("comparison", x.comparison);
}

static void fields(Some<FileReport> auto& x, auto visit) {
  visit("what", x.what);
  visit("holder", x.holder);
  visit("name", x.name);
  visit("revisions", x.revisions);
  visit("before", x.before);
  visit("after", x.after);
  visit("arrived_at", x.arrived_at);
  visit("size", x.size);
  visit("why", x.why);
  visit("comparison", x.comparison);
}

static void fields(Some<ChangeReport> auto& x, auto visit) {
  visit("from", x.from);
  visit("to", x.to);
  visit("files", x.files);
  visit("overdue", x.overdue);
}

static void fields(Some<BackupOffer> auto& x, auto visit) {
  visit("name", x.name);
  visit("to", x.to);
  visit("holder", x.holder);
  visit("file", x.file);
  visit("revision", x.revision);
  visit("size", x.size);
  visit("since", x.since);
  visit("until", x.until);
}

static void fields(Some<ThinnedRevision> auto& x, auto visit) {
  visit("revision", x.revision);
  visit("arrived_at", x.arrived_at);
  visit("size", x.size);
  visit("goes", x.goes);
  visit("why", x.why);
}

static void fields(Some<ThinnedFile> auto& x, auto visit) {
  visit("holder", x.holder);
  visit("name", x.name);
  visit("revisions", x.revisions);
}

static void fields(Some<ThinnedOut> auto& x, auto visit) {
  visit("done", x.done);
  visit("revisions", x.revisions);
  visit("bytes", x.bytes);
  visit("kept", x.kept);
  visit("files", x.files);
  visit("next", x.next);
}

void to_json(json& to, const Backup& from) { put(to, from); }
void from_json(const json& from, Backup& to) { take(from, to); }
void to_json(json& to, const BackupFile& from) { put(to, from); }
void from_json(const json& from, BackupFile& to) { take(from, to); }
void to_json(json& to, const Expected& from) { put(to, from); }
void from_json(const json& from, Expected& to) { take(from, to); }
void to_json(json& to, const BackupOverview& from) { put(to, from); }
void from_json(const json& from, BackupOverview& to) { take(from, to); }
void to_json(json& to, const ComparedSide& from) { put(to, from); }
void from_json(const json& from, ComparedSide& to) { take(from, to); }
void to_json(json& to, const DiffLine& from) { put(to, from); }
void from_json(const json& from, DiffLine& to) { take(from, to); }
void to_json(json& to, const DiffHunk& from) { put(to, from); }
void from_json(const json& from, DiffHunk& to) { take(from, to); }
void to_json(json& to, const TextComparison& from) { put(to, from); }
void from_json(const json& from, TextComparison& to) { take(from, to); }
void to_json(json& to, const Compared& from) { put(to, from); }
void from_json(const json& from, Compared& to) { take(from, to); }
void to_json(json& to, const FileReport& from) { put(to, from); }
void from_json(const json& from, FileReport& to) { take(from, to); }
void to_json(json& to, const ChangeReport& from) { put(to, from); }
void from_json(const json& from, ChangeReport& to) { take(from, to); }
void to_json(json& to, const BackupOffer& from) { put(to, from); }
void from_json(const json& from, BackupOffer& to) { take(from, to); }
void to_json(json& to, const ThinnedRevision& from) { put(to, from); }
void from_json(const json& from, ThinnedRevision& to) { take(from, to); }
void to_json(json& to, const ThinnedFile& from) { put(to, from); }
void from_json(const json& from, ThinnedFile& to) { take(from, to); }
void to_json(json& to, const ThinnedOut& from) { put(to, from); }
void from_json(const json& from, ThinnedOut& to) { take(from, to); }

}  // namespace vantro::api
