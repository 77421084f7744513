#include "manage/convert.h"

namespace vantro::manage {

api::Digests shape(const crypto::Digests& digests) {
  return {digests.md5, digests.sha1, digests.sha256, digests.sha512};
}

api::Transfer shape(const gate::TransferView& view) {
  api::Transfer result;
  result.id = view.id;
  result.node = view.node;
  result.direction = word(view.direction);
  result.state = word(view.state);
  result.protocol = view.protocol;
  result.peer = view.peer;
  result.device = view.device;
  result.account = view.account;
  result.name = view.name;
  result.bytes = view.bytes;
  result.total = view.total;
  result.rate = view.rate;
  const bool known = view.total && *view.total >= view.bytes && view.rate >= 1;
  if (known && view.state == gate::State::kRunning) {
    result.seconds_left = static_cast<double>(*view.total - view.bytes) / view.rate;
  }
  result.resent = view.resent;
  result.unanswered = view.unanswered;
  result.stalled_ms = view.stalled_ms;
  result.began_at = base::iso_time(view.began_at);
  result.duration_ms = view.duration_ms;
  result.why = view.why;
  result.caution = view.caution;
  result.job = view.job;
  return result;
}

api::Change shape(const db::Change& change) {
  return {change.sequence, base::iso_time(change.at), change.kind, change.object,
          change.by};
}

api::Contact shape(const desk::Overview& overview) {
  const auto& contact = overview.contact;
  return {contact.address.text(), base::iso_time(contact.last_at),
          contact.heard_on,       contact.requests,
          contact.unanswered,     contact.strays,
          overview.last.state,    overview.last.sentence,
          overview.device,        overview.job,
          overview.last.caution};
}

api::Story shape(const base::Address& address, const desk::Told& told) {
  api::Story result;
  result.address = address.text();
  result.device = told.device;
  result.job = told.job;
  for (const auto& line : told.lines) {
    result.lines.push_back({base::iso_time(line.at), line.state, line.name, line.heard_on,
                            line.sentence, line.caution});
  }
  return result;
}

api::LedgerEntry shape(const ledger::Entry& entry) {
  api::LedgerEntry result;
  result.id = entry.id;
  result.at = base::iso_time(entry.at);
  result.event = entry.event;
  result.actor = entry.actor;
  result.device = entry.device;
  result.protocol = entry.protocol;
  result.heard_on = entry.heard_on;
  result.account = entry.account;
  result.name = entry.name;
  if (!entry.sha256.empty()) result.sha256 = entry.sha256;
  result.request = entry.request;
  result.mirror = entry.mirror;
  result.bytes = entry.bytes;
  result.total = entry.total;
  result.duration_ms = entry.duration_ms;
  result.resent = entry.resent;
  result.outcome = entry.outcome;
  result.sentence = entry.sentence;
  result.from = entry.from;
  result.hash = entry.chain;
  return result;
}

}  // namespace vantro::manage
