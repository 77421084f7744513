#include "manage/mirror_routes.h"

#include <fmt/format.h>

#include "api/operations.h"
#include "mirror/headquarters.h"
#include "mirror/incoming.h"

namespace vantro::manage {
namespace {

using base::Kind;

// A mirror asks four times a minute.
constexpr base::WallTime kSilentFor = 120'000;

mirror::Report report_of(const api::MirrorReport& given) {
  mirror::Report report;
  report.tag = given.tag;
  report.wants = {given.wants.platforms, given.wants.lines, given.wants.offers,
                  given.wants.kits,      given.wants.jobs,  given.wants.sites};
  report.version = given.version;
  report.held = given.held;
  report.lacking = given.lacking;
  report.missing = given.missing;
  report.rate = given.rate;
  report.rows_waiting = given.rows_waiting;
  report.trouble = given.trouble;
  return report;
}

base::Outcome<api::MirrorNews> news(Service& service, const Call& call,
                                    const api::Nothing&, const api::MirrorReport& given) {
  auto found =
      service.headquarters->answer(call.caller.name, call.caller.from, report_of(given));
  if (!found) return base::refuse(found.error());
  api::MirrorNews result;
  result.tag = found->tag;
  result.base = found->base;
  result.sequence = found->sequence;
  result.at = base::iso_time(found->at);
  result.sync = found->sync;
  for (auto& one : found->gone) result.gone.push_back({one.table, one.row});
  for (auto& [key, record] : found->fresh) {
    result.fresh.push_back(
        {key.table, key.row, std::move(record.columns), std::move(record.needs)});
  }
  return result;
}

base::Outcome<Content> content(Service& service, const Call&,
                               const api::ContentPart& asked) {
  auto found = service.headquarters->content(asked.sha256);
  if (!found) return base::refuse(found.error());
  if (asked.from > found->size) {
    return base::refuse(Kind::kInvalid, fmt::format("it has {} bytes, and none at {}",
                                                    found->size, asked.from));
  }
  Content result;
  result.file = std::move(found->file);
  result.size = found->size;
  result.from = asked.from;
  result.bytes = std::min(asked.bytes.value_or(found->size), found->size - asked.from);
  return result;
}

base::Outcome<Content> chunks(Service& service, const Call&,
                              const api::ContentNamed& asked) {
  auto found = service.headquarters->chunks(asked.sha256);
  if (!found) return base::refuse(found.error());
  Content result;
  result.text = std::move(*found);
  return result;
}

base::Outcome<api::MirrorRowsTaken> rows(Service& service, const Call& call,
                                         const api::Nothing&,
                                         const api::MirrorRows& given) {
  std::vector<ledger::Entry> rows;
  for (const auto& one : given.rows) {
    const auto at = base::parse_iso_time(one.at);
    if (!at) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("row {}: its time is not a time", one.id));
    }
    ledger::Entry row;
    row.id = one.id;
    row.at = *at;
    row.event = one.event;
    row.actor = one.actor;
    row.from = one.from;
    row.device = one.device;
    row.protocol = one.protocol;
    row.heard_on = one.heard_on;
    row.account = one.account;
    row.name = one.name;
    row.sha256 = one.sha256;
    row.bytes = one.bytes;
    row.total = one.total;
    row.duration_ms = one.duration_ms;
    row.resent = one.resent;
    row.outcome = one.outcome;
    row.sentence = one.sentence;
    row.request = one.request;
    rows.push_back(std::move(row));
  }
  const auto taken = service.incoming->rows(call.caller.name, rows);
  if (!taken) return base::refuse(taken.error());
  return api::MirrorRowsTaken{taken->upto, taken->wants, taken->have};
}

base::Outcome<api::MirrorPieceTaken> piece(Service& service, const Call& call,
                                           const api::MirrorPiece& asked,
                                           const std::string& bytes) {
  const auto have = service.incoming->piece(call.caller.name, asked.sha256, asked.size,
                                            asked.from, base::as_bytes(bytes));
  if (!have) return base::refuse(have.error());
  return api::MirrorPieceTaken{*have};
}

api::Mirror shape(const mirror::Site& site, base::WallTime now) {
  api::Mirror result;
  result.name = site.name;
  result.state = now - site.seen_at > kSilentFor ? "silent"
                 : site.current                  ? "current"
                                                 : "behind";
  result.from = site.from;
  result.wants = site.wants;
  result.version = site.version;
  result.first_at = base::iso_time(site.first_at);
  result.seen_at = base::iso_time(site.seen_at);
  if (site.current_at != 0) result.current_at = base::iso_time(site.current_at);
  result.held = site.held;
  result.lacking = site.lacking;
  result.missing = site.missing;
  result.rate = site.rate;
  result.rows_waiting = site.rows_waiting;
  result.served = site.served;
  result.served_bytes = site.served_bytes;
  result.trouble = site.trouble;
  result.sync = site.sync;
  return result;
}

base::Outcome<api::MirrorList> list(Service& service, const Call&, const api::Nothing&) {
  const auto all = service.headquarters->list();
  if (!all) return base::refuse(all.error());
  api::MirrorList result;
  for (const auto& one : *all) {
    result.mirrors.push_back(shape(one, service.clock.wall()));
  }
  return result;
}

base::Outcome<api::Mirror> show(Service& service, const Call&, const api::Named& asked) {
  const auto found = service.headquarters->find(asked.name);
  if (!found) return base::refuse(found.error());
  return shape(*found, service.clock.wall());
}

base::Outcome<api::Mirror> sync(Service& service, const Call& call,
                                const api::Named& asked) {
  const auto found = service.headquarters->want_sync(asked.name, call.caller.by());
  if (!found) return base::refuse(found.error());
  return shape(*found, service.clock.wall());
}

base::Outcome<api::MirrorState> state(Service& service, const Call&,
                                      const api::Nothing&) {
  return service.mirror.state ? service.mirror.state() : api::MirrorState();
}

base::Outcome<api::MirrorState> sync_here(Service& service, const Call& call,
                                          const api::Nothing&) {
  if (!service.mirror.sync) {
    return base::refuse(
        Kind::kInvalid,
        "this server is not a mirror; 'vantro mirror sync NAME' tells one "
        "of its mirrors");
  }
  service.mirror.sync();
  service.repository.record_event("mirror-sync", call.caller.by(), "");
  return service.mirror.state();
}

}  // namespace

void mirror_routes(Routes& routes) {
  routes.add_slow(api::kMirrorNews, news);
  routes.add(api::kMirrorContent, content);
  routes.add_slow(api::kMirrorChunks, chunks);
  routes.add_slow(api::kMirrorRows, rows);
  routes.add_slow(api::kMirrorPiece, piece);
  routes.add(api::kMirrors, list);
  routes.add(api::kMirror, show);
  routes.add(api::kSyncMirror, sync);
  routes.add(api::kMirrorState, state);
  routes.add(api::kSyncHere, sync_here);
}

}  // namespace vantro::manage
