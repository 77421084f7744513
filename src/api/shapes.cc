// The bodies stand here, and not in the header, as the library's templates cost every
// unit that includes them several seconds.
#include "api/shapes.h"

#include <nlohmann/json.hpp>

#include "api/optional_json.h"

namespace vantro::api {
namespace {

using nlohmann::json;

// Leaves the default where the field is missing.
template <class T>
void take(const json& from, const char* name, T& to) {
  if (const auto found = from.find(name); found != from.end()) found->get_to(to);
}

}  // namespace

void to_json(json& to, const Digests& from) {
  to = json{{"md5", from.md5},
            {"sha1", from.sha1},
            {"sha256", from.sha256},
            {"sha512", from.sha512}};
}

void from_json(const json& from, Digests& to) {
  take(from, "md5", to.md5);
  take(from, "sha1", to.sha1);
  take(from, "sha256", to.sha256);
  take(from, "sha512", to.sha512);
}

void to_json(json& to, const Transfer& from) {
  to = json{{"id", from.id},
            {"direction", from.direction},
            {"state", from.state},
            {"protocol", from.protocol},
            {"peer", from.peer},
            {"device", from.device},
            {"account", from.account},
            {"name", from.name},
            {"bytes", from.bytes},
            {"total", from.total},
            {"rate", from.rate},
            {"seconds_left", from.seconds_left},
            {"resent", from.resent},
            {"unanswered", from.unanswered},
            {"stalled_ms", from.stalled_ms},
            {"began_at", from.began_at},
            {"duration_ms", from.duration_ms},
            {"why", from.why}};
}

void from_json(const json& from, Transfer& to) {
  take(from, "id", to.id);
  take(from, "direction", to.direction);
  take(from, "state", to.state);
  take(from, "protocol", to.protocol);
  take(from, "peer", to.peer);
  take(from, "device", to.device);
  take(from, "account", to.account);
  take(from, "name", to.name);
  take(from, "bytes", to.bytes);
  take(from, "total", to.total);
  take(from, "rate", to.rate);
  take(from, "seconds_left", to.seconds_left);
  take(from, "resent", to.resent);
  take(from, "unanswered", to.unanswered);
  take(from, "stalled_ms", to.stalled_ms);
  take(from, "began_at", to.began_at);
  take(from, "duration_ms", to.duration_ms);
  take(from, "why", to.why);
}

void to_json(json& to, const LedgerEntry& from) {
  to = json{{"id", from.id},
            {"at", from.at},
            {"event", from.event},
            {"actor", from.actor},
            {"device", from.device},
            {"protocol", from.protocol},
            {"heard_on", from.heard_on},
            {"account", from.account},
            {"name", from.name},
            {"sha256", from.sha256},
            {"bytes", from.bytes},
            {"total", from.total},
            {"duration_ms", from.duration_ms},
            {"resent", from.resent},
            {"outcome", from.outcome},
            {"sentence", from.sentence}};
}

void from_json(const json& from, LedgerEntry& to) {
  take(from, "id", to.id);
  take(from, "at", to.at);
  take(from, "event", to.event);
  take(from, "actor", to.actor);
  take(from, "device", to.device);
  take(from, "protocol", to.protocol);
  take(from, "heard_on", to.heard_on);
  take(from, "account", to.account);
  take(from, "name", to.name);
  take(from, "sha256", to.sha256);
  take(from, "bytes", to.bytes);
  take(from, "total", to.total);
  take(from, "duration_ms", to.duration_ms);
  take(from, "resent", to.resent);
  take(from, "outcome", to.outcome);
  take(from, "sentence", to.sentence);
}

void to_json(json& to, const Change& from) {
  to = json{{"sequence", from.sequence},
            {"at", from.at},
            {"kind", from.kind},
            {"object", from.object},
            {"by", from.by}};
}

void from_json(const json& from, Change& to) {
  take(from, "sequence", to.sequence);
  take(from, "at", to.at);
  take(from, "kind", to.kind);
  take(from, "object", to.object);
  take(from, "by", to.by);
}

void to_json(json& to, const Contact& from) {
  to = json{{"address", from.address},       {"last_heard_at", from.last_heard_at},
            {"heard_on", from.heard_on},     {"requests", from.requests},
            {"unanswered", from.unanswered}, {"strays", from.strays},
            {"state", from.state},           {"sentence", from.sentence}};
}

void from_json(const json& from, Contact& to) {
  take(from, "address", to.address);
  take(from, "last_heard_at", to.last_heard_at);
  take(from, "heard_on", to.heard_on);
  take(from, "requests", to.requests);
  take(from, "unanswered", to.unanswered);
  take(from, "strays", to.strays);
  take(from, "state", to.state);
  take(from, "sentence", to.sentence);
}

void to_json(json& to, const StoryLine& from) {
  to = json{{"at", from.at},
            {"state", from.state},
            {"name", from.name},
            {"heard_on", from.heard_on},
            {"sentence", from.sentence}};
}

void from_json(const json& from, StoryLine& to) {
  take(from, "at", to.at);
  take(from, "state", to.state);
  take(from, "name", to.name);
  take(from, "heard_on", to.heard_on);
  take(from, "sentence", to.sentence);
}

void to_json(json& to, const Story& from) {
  to = json{{"address", from.address}, {"lines", from.lines}};
}

void from_json(const json& from, Story& to) {
  take(from, "address", to.address);
  take(from, "lines", to.lines);
}

void to_json(json& to, const Status& from) {
  to = json{{"version", from.version},
            {"state_folder", from.state_folder},
            {"started_at", from.started_at},
            {"uptime_ms", from.uptime_ms},
            {"listeners", from.listeners},
            {"images", from.images},
            {"offers", from.offers},
            {"backups", from.backups},
            {"running_transfers", from.running_transfers},
            {"disk_free", from.disk_free},
            {"accounts", from.accounts},
            {"openings", from.openings},
            {"trouble", from.trouble},
            {"ssh", from.ssh},
            {"encryption", from.encryption}};
}

void from_json(const json& from, Status& to) {
  take(from, "version", to.version);
  take(from, "state_folder", to.state_folder);
  take(from, "started_at", to.started_at);
  take(from, "uptime_ms", to.uptime_ms);
  take(from, "listeners", to.listeners);
  take(from, "images", to.images);
  take(from, "offers", to.offers);
  take(from, "backups", to.backups);
  take(from, "running_transfers", to.running_transfers);
  take(from, "disk_free", to.disk_free);
  take(from, "accounts", to.accounts);
  take(from, "openings", to.openings);
  take(from, "trouble", to.trouble);
  take(from, "ssh", to.ssh);
  take(from, "encryption", to.encryption);
}

void to_json(json& to, const Problem& from) {
  to =
      json{{"type", from.type},         {"title", from.title},  {"status", from.status},
           {"detail", from.detail},     {"kind", from.kind},    {"nearest", from.nearest},
           {"expected", from.expected}, {"actual", from.actual}};
}

void from_json(const json& from, Problem& to) {
  take(from, "type", to.type);
  take(from, "title", to.title);
  take(from, "status", to.status);
  take(from, "detail", to.detail);
  take(from, "kind", to.kind);
  take(from, "nearest", to.nearest);
  take(from, "expected", to.expected);
  take(from, "actual", to.actual);
}

}  // namespace vantro::api
