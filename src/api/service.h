// The shapes of the server's own care: reload, drain, snapshots, notices (see shapes.h).
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "api/shape.h"

namespace vantro::api {

struct ReloadWanted {
  bool dry_run = false;
};

struct SettingChange {
  std::string name;
  std::string before;
  std::string after;
};

struct Reloaded {
  bool dry_run = false;
  std::vector<SettingChange> now;
  std::vector<SettingChange> at_restart;
  std::vector<std::string> certificates;
  std::vector<std::string> failures;
};

struct DrainWanted {
  std::int64_t minutes = 10;
  std::string reason;
};

struct DrainWaits {
  std::string who;
  std::string name;
  std::string direction;
  std::uint64_t bytes = 0;
  std::string left;
};

struct Drain {
  bool draining = false;
  bool stopping = false;
  std::string since;
  std::string until;
  std::string reason;
  std::uint64_t refused = 0;
  bool idle = false;
  std::vector<DrainWaits> waits_for;
};

struct Node {
  std::string name;
  bool this_one = false;
  std::string host;
  std::string version;
  std::string state;
  std::string started_at;
  std::string seen_at;
  std::vector<std::string> works;
};

struct NodeList {
  std::vector<Node> nodes;
};

struct SnapshotWanted {
  std::string path;
};

struct Snapshot {
  std::string state;
  std::string path;
  std::string began_at;
  std::string by;
  std::uint64_t files = 0;
  std::uint64_t files_done = 0;
  std::uint64_t bytes = 0;
  std::uint64_t bytes_done = 0;
  std::uint64_t linked = 0;
  std::uint64_t kept = 0;
  std::string why;
};

struct NoticeReceiver {
  std::string name;
  std::string way;
  std::string to;
  std::vector<std::string> events;
  std::uint64_t waiting = 0;
  std::uint64_t sent = 0;
  std::string last_sent_at;
  std::string failure;
};

struct NoticeCondition {
  std::string event;
  std::string subject;
  std::string since;
  std::string sentence;
};

struct NoticeState {
  std::vector<NoticeReceiver> receivers;
  std::vector<NoticeCondition> standing;
};

struct NoticeTestWanted {
  std::string receiver;
};

struct NoticeTested {
  std::string receiver;
  bool ok = false;
  std::string answer;
};

struct NoticeTestResult {
  std::vector<NoticeTested> results;
};

// What 'vantro image add --recursive' has done.
struct AdoptedFile {
  std::string file;
  std::string what;
};

struct AdoptReport {
  std::string folder;
  bool interrupted = false;
  std::uint64_t added = 0;
  std::uint64_t bytes = 0;
  std::uint64_t there_already = 0;
  std::uint64_t compared = 0;
  std::vector<std::string> lists;
  std::vector<AdoptedFile> same_bytes;
  std::vector<AdoptedFile> not_offered;
  std::vector<AdoptedFile> not_added;
};

VANTRO_SHAPE(AdoptedFile)
VANTRO_SHAPE(AdoptReport)
VANTRO_SHAPE(ReloadWanted)
VANTRO_SHAPE(SettingChange)
VANTRO_SHAPE(Reloaded)
VANTRO_SHAPE(DrainWanted)
VANTRO_SHAPE(DrainWaits)
VANTRO_SHAPE(Drain)
VANTRO_SHAPE(Node)
VANTRO_SHAPE(NodeList)
VANTRO_SHAPE(SnapshotWanted)
VANTRO_SHAPE(Snapshot)
VANTRO_SHAPE(NoticeReceiver)
VANTRO_SHAPE(NoticeCondition)
VANTRO_SHAPE(NoticeState)
VANTRO_SHAPE(NoticeTestWanted)
VANTRO_SHAPE(NoticeTested)
VANTRO_SHAPE(NoticeTestResult)

}  // namespace vantro::api
