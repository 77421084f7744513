// The shapes of what devices sent, and of what changed in it (see shapes.h).
#pragma once

#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"

namespace vantro::api {

// One revision of what a device sent.
struct Backup {
  std::string holder;   // the device's name; or the address, if it is nobody's
  bool device = false;  // whether it is a device's
  std::string address;  // where it came from
  std::string name;
  std::int64_t revision = 0;
  bool complete = false;
  std::uint64_t size = 0;
  std::optional<std::uint64_t> announced;
  std::optional<Digests> digests;  // null if it is partial
  std::string arrived_at;
  std::string protocol;
  std::string account;  // empty: without one
  std::string why;      // partial: what broke it off; unconfirmed: why
  // How it is known that a complete one came whole: empty, or "unknown-size", "cut", or
  // "unconfirmed"; the last does not count as a good backup.
  std::string ending;
  bool kept = true;  // its bytes can be had
  std::string kind;  // "configuration", "image", "other"; empty: it broke off
  bool text = false;
  bool changed = false;      // from the one before it, in substance
  std::string last_seen_at;  // when these bytes came last
  std::int64_t times_seen = 1;
  bool pinned = false;  // kept for ever
  std::string pinned_why;
  std::string recognised;   // how it stands to the catalogue; empty: it does not
  std::string image;        // the one that it is identical to, or of the size of
  std::size_t secrets = 0;  // of one revision: that are masked when it is shown
};

// All revisions of one name in a line.
struct BackupFile {
  std::string holder;
  bool device = false;
  std::string site;
  std::string name;
  std::int64_t revisions = 0;
  std::int64_t revision = 0;  // the newest complete one; 0: there is none
  std::string kind;
  std::optional<std::string> arrived_at;
  std::optional<std::string> seen_at;  // when these bytes came last
  std::uint64_t size = 0;
  std::optional<std::uint64_t> usual_size;  // of those before it
  bool shrunk = false;                      // to less than half of that
  std::int64_t changes = 0;                 // in the days that were asked for
  std::optional<std::string> broken_at;     // when one broke off last
};

// A device of which backups are expected.
struct Expected {
  std::string device;
  std::string site;
  std::string every;                   // "daily", "12h"
  std::optional<std::string> seen_at;  // the last one; null: none came yet
  std::string since;                   // when the device was made known
  bool overdue = false;
};

struct BackupOverview {
  std::int64_t days = 0;  // in which changes are counted
  std::vector<BackupFile> files;
  std::vector<Expected> expected;
};

struct ComparedSide {
  std::string title;
  std::string holder;
  std::string name;
  std::int64_t revision = 0;  // 0: a file that was given
  std::optional<std::string> arrived_at;
};

struct DiffLine {
  std::string sign;        // " ", "-", "+"
  std::size_t before = 0;  // line numbers; 0: not there
  std::size_t after = 0;
  std::string text;
};

struct DiffHunk {
  std::vector<std::string> sections;  // that it is in, the outermost first
  std::vector<DiffLine> lines;
};

struct TextComparison {
  bool same_bytes = false;
  bool same = false;  // in substance
  std::size_t removed = 0;
  std::size_t added = 0;
  std::size_t left_out = 0;  // lines that do not count
  std::size_t masked = 0;    // secrets that are not shown
  std::vector<DiffHunk> hunks;
};

struct Compared {
  ComparedSide before;
  ComparedSide after;
  TextComparison comparison;
};

// What happened to one file within a time.
struct FileReport {
  std::string what;  // "changed", "unchanged", "first", "broke-off"
  std::string holder;
  std::string name;
  std::int64_t revisions = 0;          // that came within
  std::optional<std::int64_t> before;  // revision numbers
  std::optional<std::int64_t> after;
  std::optional<std::string> arrived_at;  // of the one after
  std::uint64_t size = 0;
  std::string why;  // what broke it off; why nothing was compared
  std::optional<TextComparison> comparison;
};

struct ChangeReport {
  std::string from;
  std::string to;
  std::vector<FileReport> files;
  std::vector<Expected> overdue;
};

// One revision on offer to one device.
struct BackupOffer {
  std::string name;
  std::string to;      // a device, or an address
  std::string holder;  // whose backup it is
  std::string file;
  std::int64_t revision = 0;
  std::uint64_t size = 0;
  std::string since;
  std::string until;
};

struct ThinnedRevision {
  std::int64_t revision = 0;
  std::string arrived_at;
  std::uint64_t size = 0;
  bool goes = false;
  std::string why;
};

struct ThinnedFile {
  std::string holder;
  std::string name;
  std::vector<ThinnedRevision> revisions;  // newest first
};

// What thinning out removed, or would remove.
struct ThinnedOut {
  bool done = false;
  std::size_t revisions = 0;
  std::uint64_t bytes = 0;
  std::size_t kept = 0;
  std::vector<ThinnedFile> files;
  std::int64_t next = 0;  // "from" of the next portion; 0: that was all
};

void to_json(nlohmann::json& to, const Backup& from);
void from_json(const nlohmann::json& from, Backup& to);
void to_json(nlohmann::json& to, const BackupFile& from);
void from_json(const nlohmann::json& from, BackupFile& to);
void to_json(nlohmann::json& to, const Expected& from);
void from_json(const nlohmann::json& from, Expected& to);
void to_json(nlohmann::json& to, const BackupOverview& from);
void from_json(const nlohmann::json& from, BackupOverview& to);
void to_json(nlohmann::json& to, const ComparedSide& from);
void from_json(const nlohmann::json& from, ComparedSide& to);
void to_json(nlohmann::json& to, const DiffLine& from);
void from_json(const nlohmann::json& from, DiffLine& to);
void to_json(nlohmann::json& to, const DiffHunk& from);
void from_json(const nlohmann::json& from, DiffHunk& to);
void to_json(nlohmann::json& to, const TextComparison& from);
void from_json(const nlohmann::json& from, TextComparison& to);
void to_json(nlohmann::json& to, const Compared& from);
void from_json(const nlohmann::json& from, Compared& to);
void to_json(nlohmann::json& to, const FileReport& from);
void from_json(const nlohmann::json& from, FileReport& to);
void to_json(nlohmann::json& to, const ChangeReport& from);
void from_json(const nlohmann::json& from, ChangeReport& to);
void to_json(nlohmann::json& to, const BackupOffer& from);
void from_json(const nlohmann::json& from, BackupOffer& to);
void to_json(nlohmann::json& to, const ThinnedRevision& from);
void from_json(const nlohmann::json& from, ThinnedRevision& to);
void to_json(nlohmann::json& to, const ThinnedFile& from);
void from_json(const nlohmann::json& from, ThinnedFile& to);
void to_json(nlohmann::json& to, const ThinnedOut& from);
void from_json(const nlohmann::json& from, ThinnedOut& to);

}  // namespace vantro::api
