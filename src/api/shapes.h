// The shapes that cross the management API, defined once: manage/ fills them, client/
// reads them, docs/api.md describes them. Field names here are the names in the JSON.
//
// Times are RFC 3339 in UTC with milliseconds; digests are lower-case hexadecimal; sizes
// are bytes; what may be unknown is null.
#pragma once

#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

namespace vantro::api {

struct Digests {
  std::string md5, sha1, sha256, sha512;
};

struct Transfer {
  std::uint64_t id = 0;
  std::string direction;  // "fetch", "deposit", "image-add"
  std::string state;      // "running", "complete", "failed", "abandoned"
  std::string protocol;
  std::string peer;
  std::string device;   // whose address that is, or empty
  std::string account;  // empty: without one
  std::string name;
  std::uint64_t bytes = 0;
  std::optional<std::uint64_t> total;
  double rate = 0;  // bytes per second
  std::optional<double> seconds_left;
  std::uint64_t resent = 0;
  std::uint64_t unanswered = 0;            // resends since the peer last moved it on
  std::optional<std::int64_t> stalled_ms;  // null: it moves, or has ended
  std::string began_at;
  std::int64_t duration_ms = 0;
  std::string why;
};

struct LedgerEntry {
  std::int64_t id = 0;
  std::string at;
  std::string event;
  std::string actor;
  std::string device;  // whose address that is, or empty
  std::string protocol;
  std::string heard_on;  // "192.0.2.10:69 on eth0", or empty
  std::string account;   // empty: without one
  std::string name;
  std::optional<std::string> sha256;
  std::uint64_t bytes = 0;
  std::optional<std::uint64_t> total;
  std::int64_t duration_ms = 0;
  std::uint64_t resent = 0;
  std::string outcome;
  std::string sentence;
};

// Something was changed that others may have in view.
struct Change {
  std::int64_t sequence = 0;  // in the order of the changes
  std::string at;
  std::string kind;    // "offer", "image", "kit", "account", "device", "site", ...
  std::string object;  // which one: a name, or a number where names may change
  std::string by;
};

// An address that was heard, and how it stands with it.
struct Contact {
  std::string address;
  std::string last_heard_at;
  std::string heard_on;
  std::uint64_t requests = 0;    // since the server's start
  std::uint64_t unanswered = 0;  // of them and the strays: over a limit
  std::uint64_t strays = 0;      // what came and was no request, or came to none
  std::string state;             // as of a story line
  std::string sentence;
};

// One thing that happened with it.
struct StoryLine {
  std::string at;
  std::string state;  // "heard", "refused", "running", "stalled", "complete", "failed",
                      // "abandoned"
  std::string name;
  std::string heard_on;
  std::string sentence;
};

struct Story {
  std::string address;
  std::vector<StoryLine> lines;  // oldest first
};

struct Listener {
  std::string protocol;
  std::string address;  // "192.0.2.10:69"
  // Content and password can't be read on the way.
  bool protects = false;
};

// One line of what is open to whom.
struct Opening {
  std::string from;  // "private, loopback"
  std::string may;   // "fetch, deposit"
  std::string over;  // "tftp, http"
  bool needs_account = false;
};

// What SSH shows of itself, and what it has been content with.
struct HostKey {
  std::string type;         // "ssh-ed25519"
  std::string fingerprint;  // "SHA256:..."
};
struct OlderAlgorithms {
  std::string from;        // networks
  std::string algorithms;  // parted by commas
};
struct OlderSession {
  std::string at;
  std::string address;
  std::string account;
  std::string algorithms;  // that it used
};
struct Ssh {
  std::vector<HostKey> host_keys;      // empty: not served
  std::vector<OlderAlgorithms> older;  // allowed
  std::uint64_t older_sessions = 0;    // since the server's start
  std::optional<OlderSession> last_older;
};

// Configurations that are encrypted where they lie.
struct Encryption {
  std::string key;             // the id of today's; empty: none, nothing is encrypted
  std::uint64_t contents = 0;  // configurations
  std::uint64_t done = 0;      // that are as the key of today wants them
  std::uint64_t locked = 0;    // encrypted with keys that the server has not got
  bool running = false;        // others are being brought to it
};

struct Status {
  std::string version;
  std::string state_folder;
  std::string started_at;
  std::int64_t uptime_ms = 0;
  std::vector<Listener> listeners;
  std::size_t images = 0;
  std::size_t offers = 0;
  std::size_t backups = 0;  // revisions
  std::size_t running_transfers = 0;
  std::uint64_t disk_free = 0;
  std::size_t accounts = 0;          // without the anonymous one
  std::vector<Opening> openings;     // everything else is closed
  std::vector<std::string> trouble;  // sentences; empty if all is well
  Ssh ssh;
  Encryption encryption;
};

// RFC 9457, with the kind, the nearest name and, for a checksum that differs, the two
// values as extensions.
struct Problem {
  std::string type;  // "urn:vantro:problem:not-found"
  std::string title;
  int status = 0;
  std::string detail;  // the sentence
  std::string kind;
  std::string nearest;
  std::string expected, actual;
};

// Reading is lenient: a field that is missing keeps its default, so that a newer client
// can talk to an older server.
void to_json(nlohmann::json& to, const Digests& from);
void from_json(const nlohmann::json& from, Digests& to);
void to_json(nlohmann::json& to, const Transfer& from);
void from_json(const nlohmann::json& from, Transfer& to);
void to_json(nlohmann::json& to, const LedgerEntry& from);
void from_json(const nlohmann::json& from, LedgerEntry& to);
void to_json(nlohmann::json& to, const Change& from);
void from_json(const nlohmann::json& from, Change& to);
void to_json(nlohmann::json& to, const Contact& from);
void from_json(const nlohmann::json& from, Contact& to);
void to_json(nlohmann::json& to, const StoryLine& from);
void from_json(const nlohmann::json& from, StoryLine& to);
void to_json(nlohmann::json& to, const Story& from);
void from_json(const nlohmann::json& from, Story& to);
void to_json(nlohmann::json& to, const Listener& from);
void from_json(const nlohmann::json& from, Listener& to);
void to_json(nlohmann::json& to, const Opening& from);
void from_json(const nlohmann::json& from, Opening& to);
void to_json(nlohmann::json& to, const HostKey& from);
void from_json(const nlohmann::json& from, HostKey& to);
void to_json(nlohmann::json& to, const OlderAlgorithms& from);
void from_json(const nlohmann::json& from, OlderAlgorithms& to);
void to_json(nlohmann::json& to, const OlderSession& from);
void from_json(const nlohmann::json& from, OlderSession& to);
void to_json(nlohmann::json& to, const Ssh& from);
void from_json(const nlohmann::json& from, Ssh& to);
void to_json(nlohmann::json& to, const Encryption& from);
void from_json(const nlohmann::json& from, Encryption& to);
void to_json(nlohmann::json& to, const Status& from);
void from_json(const nlohmann::json& from, Status& to);
void to_json(nlohmann::json& to, const Problem& from);
void from_json(const nlohmann::json& from, Problem& to);

}  // namespace vantro::api
