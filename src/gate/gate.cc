#include "gate/gate.h"

#include <algorithm>
#include <cerrno>
#include <fmt/format.h>
#include <iterator>
#include <map>
#include <set>
#include <unistd.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "repository/change.h"
#include "repository/image_changes.h"

namespace vantro::gate {

using base::Kind;
using base::Refusal;

Gate::Gate(repository::Repository& repository, const base::Clock& clock, base::Log log,
           Config config)
    : repository_(repository),
      clock_(clock),
      log_(std::move(log)),
      config_(std::move(config)),
      transfers_(clock),
      contacts_(clock),
      log_ins_(*this),
      admission_(config_.admission),
      verify_first_(std::make_unique<VerifyFirst>(*this, config_.unverified_for)) {}

base::Outcome<Place> Gate::admit(const Asker& asker, Direction direction,
                                 std::string_view typed_name) {
  auto place = admission_.admit(asker.peer.address);
  if (!place) record_refusal(asker, word(direction), typed_name, place.error());
  return place;
}

probe::Report Gate::look_inside(int fd, std::uint64_t size,
                                const std::function<bool()>& stop) const {
  if (!config_.look.program.empty()) {
    return probe::look_apart(config_.look, fd, size, stop);
  }
  probe::Report report;
  report.say("not looked into");
  return report;
}

void Gate::record_refusal(const Asker& asker, const std::string& event,
                          std::string_view name, const Refusal& refusal) {
  if (!contacts_.may_record_refusal(asker.peer.address)) return;
  ledger::Entry entry;
  entry.at = clock_.wall();
  entry.event = event;
  entry.actor = asker.peer.address.text();
  entry.device = repository_.inventory.device_at(asker.peer.address);
  entry.protocol = asker.protocol;
  entry.heard_on = asker.heard_on;
  entry.account = asker.account;
  entry.name = base::printable(name, base::kLongestName);
  entry.outcome = "refused";
  entry.sentence = base::in_full(refusal);
  log_.warning(event + " refused", {{"protocol", asker.protocol},
                                    {"peer", asker.peer.text()},
                                    {"name", name},
                                    {"why", entry.sentence}});
  repository_.ledger.append(std::move(entry));
}

void Gate::reply_lost(const Filed& filed) {
  const auto failed = [&](const Refusal& refusal) {
    log_.error("an upload whose end was not confirmed could not be marked",
               {{"what", filed.sentence}, {"why", refusal.sentence}});
  };
  if (!filed.new_image.empty()) {
    const auto withdrawn = repository::change(
        repository_, "server",
        [&](db::Transaction& t,
            repository::Change& change) -> base::Outcome<std::vector<catalog::Offer>> {
          const auto image = catalog::Catalog::find(t, filed.new_image);
          if (!image) return base::refuse(image.error());
          return repository::withdraw(t, change, *image, catalog::kEndNotConfirmed);
        });
    if (!withdrawn) failed(withdrawn.error());
  }
  if (filed.record == 0) return;
  const auto found = repository_.backups.find(filed.record);
  if (!found) return failed(found.error());
  if (!*found) return;
  const auto& revision = **found;
  ledger::Entry entry;
  entry.at = clock_.wall();
  entry.event = word(Direction::kDeposit);
  entry.actor = revision.address;
  entry.device = revision.holder.device == 0 ? "" : revision.holder.name;
  entry.protocol = revision.protocol;
  entry.account = revision.account;
  entry.name = revision.name;
  entry.sha256 = revision.digests.sha256;
  entry.bytes = revision.size;
  entry.outcome = word(State::kFailed);
  entry.sentence =
      fmt::format("revision {}: {}", revision.number, backup::kEndNotConfirmed);
  log_.warning(
      "the end of a deposit was not confirmed",
      {{"device", revision.address}, {"name", revision.name}, {"bytes", revision.size}});
  auto marked =
      repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
        backup::Backups::set_unconfirmed(t, revision);
        ledger::Ledger::record(t, entry);
        return {};
      });
  if (!marked) failed(marked.error());
}

ledger::Entry Gate::entry_of(const TransferView& view) const {
  ledger::Entry entry;
  entry.at = clock_.wall();
  entry.event = word(view.direction);
  entry.actor = view.peer;
  // It may have become another one's meanwhile; an operator has no address.
  if (const auto address = base::Address::parse(view.peer)) {
    entry.device = repository_.inventory.device_at(*address);
  }
  entry.protocol = view.protocol;
  entry.heard_on = view.heard_on;
  entry.account = view.account;
  entry.name = view.name;
  entry.sha256 = view.sha256;
  entry.bytes = view.bytes;
  entry.total = view.total;
  entry.duration_ms = view.duration_ms;
  entry.resent = view.resent;
  entry.outcome = word(view.state);
  entry.sentence = view.note;
  if (!view.why.empty()) entry.sentence += (view.note.empty() ? "" : "; ") + view.why;
  // It ends as it began, but whoever reads of it must know.
  if (view.direction == Direction::kFetch && index()->withdrawn(view.sha256)) {
    entry.sentence += std::string(entry.sentence.empty() ? "" : "; ") +
                      "the image was withdrawn while it was sent";
  }
  return entry;
}

void Gate::log_end(const TransferView& view) const {
  const auto sentence = fmt::format("{} {}", word(view.direction), word(view.state));
  const auto write =
      view.state == State::kComplete ? &base::Log::info : &base::Log::warning;
  (log_.*write)(sentence, {{"protocol", view.protocol},
                           {"peer", view.peer},
                           {"name", view.name},
                           {"bytes", view.bytes},
                           {"ms", view.duration_ms},
                           {"resent", view.resent},
                           {"why", view.why}});
}

}  // namespace vantro::gate
