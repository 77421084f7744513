// The shapes of the management API without a file of their own: running transfers, the
// ledger, the client's relation to the server. The meaning of each field is beside its
// name in the .cc.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "api/shape.h"

namespace vantro::api {

struct Digests {
  std::string md5, sha1, sha256, sha512;
};

struct Transfer {
  std::uint64_t id = 0;
  std::string node;
  std::string direction;
  std::string state;
  std::string protocol;
  std::string peer;
  std::string device;
  std::string account;
  std::string name;
  std::uint64_t bytes = 0;
  std::optional<std::uint64_t> total;
  double rate = 0;
  std::optional<double> seconds_left;
  std::uint64_t resent = 0;
  std::uint64_t unanswered = 0;
  std::optional<std::int64_t> stalled_ms;
  std::string began_at;
  std::int64_t duration_ms = 0;
  std::string why;
  std::string caution;
  std::string job;
};

struct LedgerEntry {
  std::int64_t id = 0;
  std::string at;
  std::string event;
  std::string actor;
  std::string device;
  std::string protocol;
  std::string heard_on;
  std::string account;
  std::string name;
  std::optional<std::string> sha256;
  std::uint64_t bytes = 0;
  std::optional<std::uint64_t> total;
  std::int64_t duration_ms = 0;
  std::uint64_t resent = 0;
  std::string outcome;
  std::string sentence;
  std::string from;
  std::string request;
  std::string mirror;
  std::string hash;
};

// An object changed that others may have on their screens.
struct Change {
  std::int64_t sequence = 0;
  std::string at;
  std::string kind;
  std::string object;
  std::string by;
};

// An address that contacted the server, and the last outcome.
struct Contact {
  std::string address;
  std::string last_heard_at;
  std::string heard_on;
  std::uint64_t requests = 0;
  std::uint64_t unanswered = 0;
  std::uint64_t strays = 0;
  std::string state;
  std::string sentence;
  std::string device;
  std::string job;
  bool caution = false;
};

// One event in its story.
struct StoryLine {
  std::string at;
  std::string state;
  std::string name;
  std::string heard_on;
  std::string sentence;
  bool caution = false;
};

struct Story {
  std::string address;
  std::string device;
  std::string job;
  std::vector<StoryLine> lines;
};

struct Listener {
  std::string protocol;
  std::string address;
  bool protects = false;
  std::string fingerprint = {};
};

// How busy a protocol's server is.
struct Front {
  std::string name;
  std::size_t open = 0;
  std::optional<std::size_t> most;
  std::uint64_t turned_away = 0;
  bool paused = false;
};

// One line of the access rules.
struct Opening {
  std::string from;
  std::string may;
  std::string over;
  bool needs_account = false;
};

// The state of the SSH server, and which weak algorithms clients needed.
struct HostKey {
  std::string type;
  std::string fingerprint;
};
struct OlderAlgorithms {
  std::string from;
  std::string algorithms;
};
struct OlderSession {
  std::string at;
  std::string address;
  std::string account;
  std::string algorithms;
};
struct Ssh {
  std::vector<HostKey> host_keys;
  std::vector<OlderAlgorithms> older;
  std::uint64_t older_sessions = 0;
  std::optional<OlderSession> last_older;
};

// How many stored configurations are encrypted.
struct Encryption {
  std::string key;
  std::uint64_t contents = 0;
  std::uint64_t done = 0;
  std::uint64_t locked = 0;
  bool running = false;
};

// Who the caller is to the server.
struct Me {
  std::string name;
  std::string role;
  std::string rights;
  std::string known_by;
  std::string from;
  std::optional<std::string> until;
};

struct Status {
  std::string version;
  std::string state_folder;
  std::string started_at;
  std::int64_t uptime_ms = 0;
  std::vector<Listener> listeners;
  std::vector<Front> fronts;
  std::size_t images = 0;
  std::size_t offers = 0;
  std::size_t backups = 0;
  std::size_t running_transfers = 0;
  std::uint64_t disk_free = 0;
  std::size_t accounts = 0;
  std::vector<Opening> openings;
  std::vector<std::string> trouble;
  std::string drain;
  Ssh ssh;
  Encryption encryption;
  Me you;
  std::string node;
  std::size_t nodes = 0;
  std::size_t nodes_alive = 0;
  std::string mirror_of;
};

// RFC 9457, with the kind, the nearest name and, for a checksum that differs, the two
// values as extensions.
struct Problem {
  std::string type;
  std::string title;
  int status = 0;
  std::string detail;
  std::string kind;
  std::string nearest;
  std::string expected, actual;
};

struct TransferList {
  std::vector<Transfer> transfers;
};

struct LedgerPage {
  std::vector<LedgerEntry> entries;
};

struct LedgerAsked {
  std::optional<std::int64_t> limit;
  std::optional<std::int64_t> before;
  std::string whose, by, from, until, event, name, outcome, sha256, request, mirror;
};

struct LedgerExportAsked {
  std::string whose, by, from, until, event, name, outcome, sha256, request, mirror;
  std::string form = "csv";
};

struct LedgerVerifyAsked {
  std::string noted;
};

struct LedgerBreak {
  std::int64_t row = 0;
  std::string sentence;
};

struct LedgerVerified {
  bool sound = false;
  std::int64_t rows = 0;
  std::int64_t unchained = 0;
  std::vector<LedgerBreak> breaks;
  std::string newest;
};

// The event 'ledger'.
struct LedgerGrown {
  std::int64_t newest = 0;
};

struct ChangesAsked {
  std::int64_t after = 0;
};

struct ChangePage {
  std::vector<Change> changes;
  bool more = false;
};

struct ContactList {
  std::vector<Contact> contacts;
};

struct ContactsAsked {
  std::optional<std::int64_t> limit;
};

struct AddressAsked {
  std::string address;
};

struct Health {
  bool ok = true;
};

struct RouteRow {
  std::string method, path, permission, summary;
};

struct RouteTable {
  std::vector<RouteRow> routes;
};

struct Named {
  std::string name;
};

VANTRO_SHAPE(Digests)
VANTRO_SHAPE(Transfer)
VANTRO_SHAPE(TransferList)
VANTRO_SHAPE(LedgerEntry)
VANTRO_SHAPE(LedgerPage)
VANTRO_SHAPE(LedgerAsked)
VANTRO_SHAPE(LedgerExportAsked)
VANTRO_SHAPE(LedgerVerifyAsked)
VANTRO_SHAPE(LedgerBreak)
VANTRO_SHAPE(LedgerVerified)
VANTRO_SHAPE(Change)
VANTRO_SHAPE(LedgerGrown)
VANTRO_SHAPE(ChangesAsked)
VANTRO_SHAPE(ChangePage)
VANTRO_SHAPE(Contact)
VANTRO_SHAPE(ContactList)
VANTRO_SHAPE(ContactsAsked)
VANTRO_SHAPE(AddressAsked)
VANTRO_SHAPE(StoryLine)
VANTRO_SHAPE(Story)
VANTRO_SHAPE(Listener)
VANTRO_SHAPE(Front)
VANTRO_SHAPE(Opening)
VANTRO_SHAPE(HostKey)
VANTRO_SHAPE(OlderAlgorithms)
VANTRO_SHAPE(OlderSession)
VANTRO_SHAPE(Ssh)
VANTRO_SHAPE(Encryption)
VANTRO_SHAPE(Me)
VANTRO_SHAPE(Status)
VANTRO_SHAPE(Health)
VANTRO_SHAPE(RouteRow)
VANTRO_SHAPE(RouteTable)
VANTRO_SHAPE(Problem)
VANTRO_SHAPE(Named)

}  // namespace vantro::api
