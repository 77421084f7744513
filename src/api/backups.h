// The shapes of backups and of their changes (see shapes.h).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"

namespace vantro::api {

// One revision of what a device sent.
struct Backup {
  std::string holder;
  bool device = false;
  std::string address;
  std::string name;
  std::int64_t revision = 0;
  bool complete = false;
  std::uint64_t size = 0;
  std::optional<std::uint64_t> announced;
  std::optional<Digests> digests;
  std::string arrived_at;
  std::string protocol;
  std::string account;
  std::string why;
  std::string ending;
  bool kept = true;
  std::string kind;
  bool text = false;
  bool changed = false;
  std::string last_seen_at;
  std::int64_t times_seen = 1;
  bool pinned = false;
  std::string pinned_why;
  std::string recognised;
  std::string image;
  std::size_t secrets = 0;
  std::size_t doubtful = 0;
  std::string inside;
  std::string finding;
  std::string caution;
};

// All revisions of one name.
struct BackupFile {
  std::string holder;
  bool device = false;
  std::string site;
  std::string name;
  std::int64_t revisions = 0;
  std::int64_t revision = 0;
  std::string kind;
  std::optional<std::string> arrived_at;
  std::optional<std::string> seen_at;
  std::uint64_t size = 0;
  std::optional<std::uint64_t> usual_size;
  bool shrunk = false;
  std::string doubt;
  std::int64_t changes = 0;
  std::optional<std::string> broken_at;
};

// A device that backups are expected of.
struct Expected {
  std::string device;
  std::string site;
  std::string every;
  std::optional<std::string> seen_at;
  std::string since;
  bool overdue = false;
};

struct BackupOverview {
  std::int64_t days = 0;
  std::vector<BackupFile> files;
  std::vector<Expected> expected;
};

struct ComparedSide {
  std::string title;
  std::string holder;
  std::string name;
  std::int64_t revision = 0;
  std::optional<std::string> arrived_at;
};

struct DiffLine {
  std::string sign;
  std::size_t before = 0;
  std::size_t after = 0;
  std::string text;
};

struct DiffHunk {
  std::vector<std::string> sections;
  std::vector<DiffLine> lines;
};

struct TextComparison {
  bool same_bytes = false;
  bool same = false;
  std::size_t removed = 0;
  std::size_t added = 0;
  std::size_t left_out = 0;
  std::size_t masked = 0;
  std::size_t doubtful = 0;
  bool without_secrets = false;
  std::vector<DiffHunk> hunks;
};

struct Compared {
  ComparedSide before;
  ComparedSide after;
  TextComparison comparison;
};

// What happened to one file in a period.
struct FileReport {
  std::string what;
  std::string holder;
  std::string name;
  std::int64_t revisions = 0;
  std::optional<std::int64_t> before;
  std::optional<std::int64_t> after;
  std::optional<std::string> arrived_at;
  std::uint64_t size = 0;
  std::string why;
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
  std::string to;
  std::string holder;
  std::string file;
  std::int64_t revision = 0;
  std::uint64_t size = 0;
  std::string since;
  std::string until;
  std::string caution;
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
  std::vector<ThinnedRevision> revisions;
};

// What thinning removed, or would remove.
struct ThinnedOut {
  bool done = false;
  std::size_t revisions = 0;
  std::uint64_t bytes = 0;
  std::size_t kept = 0;
  std::vector<ThinnedFile> files;
  std::int64_t next = 0;
};

struct BackupPage {
  std::vector<Backup> backups;
  std::string next;
};

struct BackupsAsked {
  std::string holder, name, after;
};

struct RevisionAsked {
  std::string holder, name;
  std::optional<std::int64_t> revision;
};

struct SecretsAsked {
  std::string holder, name;
  std::optional<std::int64_t> revision;
  std::string secrets = "masked";
};

struct OverviewAsked {
  std::int64_t days = 7;
};

struct Overdue {
  std::size_t expected_of = 0;
  std::vector<Expected> overdue;
};

struct CompareAsked {
  std::string holder, name;
  std::optional<std::int64_t> before, after;
  std::string other, other_name;
  std::int64_t context = 3;
  std::string secrets = "masked";
};

struct CompareWithAsked {
  std::string holder, name;
  std::optional<std::int64_t> revision;
  std::int64_t context = 3;
  std::string secrets = "masked";
};

struct TextGiven {
  std::string title, text, base64;
};

struct ReportAsked {
  std::string from, to;
  std::int64_t context = 3;
  std::string secrets = "masked";
};

struct PinWanted {
  bool pinned = true;
  std::string why;
};

struct BackupOfferWanted {
  std::string name;
  std::string to;
  std::string until;
};

struct BackupOfferList {
  std::vector<BackupOffer> offers;
};

struct BackupOfferEnded {
  std::string name;
  std::size_t ended = 0;
};

struct AdoptWanted {
  std::string name;
  bool hold = false;
  bool despite_findings = false;
  std::optional<std::string> maker, platform, hardware, role, version, line, stage, space,
      remarks, source;
};

struct ThinWanted {
  bool really = false;
  std::int64_t from = 0;
};

VANTRO_SHAPE(Backup)
VANTRO_SHAPE(BackupPage)
VANTRO_SHAPE(BackupsAsked)
VANTRO_SHAPE(RevisionAsked)
VANTRO_SHAPE(SecretsAsked)
VANTRO_SHAPE(BackupFile)
VANTRO_SHAPE(Expected)
VANTRO_SHAPE(BackupOverview)
VANTRO_SHAPE(OverviewAsked)
VANTRO_SHAPE(Overdue)
VANTRO_SHAPE(ComparedSide)
VANTRO_SHAPE(DiffLine)
VANTRO_SHAPE(DiffHunk)
VANTRO_SHAPE(TextComparison)
VANTRO_SHAPE(Compared)
VANTRO_SHAPE(CompareAsked)
VANTRO_SHAPE(CompareWithAsked)
VANTRO_SHAPE(TextGiven)
VANTRO_SHAPE(FileReport)
VANTRO_SHAPE(ChangeReport)
VANTRO_SHAPE(ReportAsked)
VANTRO_SHAPE(PinWanted)
VANTRO_SHAPE(BackupOffer)
VANTRO_SHAPE(BackupOfferWanted)
VANTRO_SHAPE(BackupOfferList)
VANTRO_SHAPE(BackupOfferEnded)
VANTRO_SHAPE(AdoptWanted)
VANTRO_SHAPE(ThinWanted)
VANTRO_SHAPE(ThinnedRevision)
VANTRO_SHAPE(ThinnedFile)
VANTRO_SHAPE(ThinnedOut)

}  // namespace vantro::api
