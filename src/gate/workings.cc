#include "gate/workings.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::gate {

void Workings::record_refusal(const Asker& asker, const std::string& event,
                              std::string_view name, const base::Refusal& refusal) {
  if (refused) refused(asker, name, refusal);
  transfers.tallies().refused(asker.protocol, refusal.kind);
  if (!contacts.may_record_refusal(asker.peer.address)) return;
  ledger::Entry entry;
  entry.at = clock.wall();
  entry.event = event;
  entry.actor = asker.peer.address.text();
  entry.device = repository.inventory.device_at(asker.peer.address);
  entry.protocol = asker.protocol;
  entry.heard_on = asker.heard_on;
  entry.account = asker.account;
  entry.name = base::printable(name, base::kLongestName);
  entry.outcome = "refused";
  entry.sentence = base::in_full(refusal);
  entry.request = asker.request;
  log.warning(event + " refused", {{"protocol", asker.protocol},
                                   {"peer", asker.peer.text()},
                                   {"name", name},
                                   {"why", entry.sentence},
                                   {"request", asker.request}});
  recording.record(std::move(entry), asker.peer.address, *config());
}

ledger::Entry Workings::entry_of(const TransferView& view) const {
  ledger::Entry entry;
  entry.at = clock.wall();
  entry.event = word(view.direction);
  entry.actor = view.peer;
  entry.from = view.from;
  // It may belong to another device by now; a person has no device. In a rescue session,
  // the interface says which device it is.
  if (view.rescue != 0) {
    entry.device = view.device;
  } else if (const auto address = base::Address::parse(view.peer)) {
    entry.device = repository.inventory.device_at(*address);
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
  entry.request = view.request;
  entry.mirror = view.mirror;
  entry.sentence = view.note;
  if (!view.caution.empty()) {
    entry.sentence +=
        (entry.sentence.empty() ? "CAUTION: " : "; CAUTION: ") + view.caution;
  }
  if (!view.why.empty()) {
    entry.sentence += (entry.sentence.empty() ? "" : "; ") + view.why;
  }
  // It ends like any other, but readers of the record must know.
  if (view.direction == Direction::kFetch &&
      repository.offer_index()->withdrawn(view.sha256)) {
    entry.sentence += std::string(entry.sentence.empty() ? "" : "; ") +
                      "the image was withdrawn while it was sent";
  }
  return entry;
}

void Workings::log_end(const TransferView& view) const {
  const auto sentence = fmt::format("{} {}", word(view.direction), word(view.state));
  const auto write =
      view.state == State::kComplete ? &base::Log::info : &base::Log::warning;
  (log.*write)(sentence, {{"protocol", view.protocol},
                          {"peer", view.peer},
                          {"name", view.name},
                          {"bytes", view.bytes},
                          {"ms", view.duration_ms},
                          {"resent", view.resent},
                          {"caution", view.caution},
                          {"why", view.why},
                          {"request", view.request}});
}

probe::Report Workings::look_inside(int fd, std::uint64_t size,
                                    const probe::Onlooker& onlooker) const {
  const auto now = config();
  if (!now->look.program.empty()) {
    auto report = probe::look_apart(now->look, fd, size, onlooker);
    repository.troubles.set(
        "look-inside",
        report.confined ? std::vector<std::string>()
                        : std::vector{std::string("Vantro does not look inside files: ") +
                                      probe::kCannotConfine});
    return report;
  }
  probe::Report report;
  report.say("not looked into");
  return report;
}

std::shared_ptr<const SentFile> Workings::shared_with_others(const Asker& asker,
                                                             base::UniqueFd& file,
                                                             std::uint64_t size) {
  if (asker.protocol != "tftp" || !file || size == 0) return nullptr;
  return mapped_files.share(file, size);
}

base::Outcome<bool> Workings::same_as_image(const backup::Revision& revision) const {
  if (revision.size == 0) return false;
  const auto alike = repository.catalog.with_size(revision.size);
  if (!alike) return base::refuse(alike.error());
  return !alike->empty();
}

bool Workings::recognised(const backup::Revision& revision) const {
  const auto now = config();
  return std::any_of(
      now->recognisers.begin(), now->recognisers.end(),
      [&](const auto& one) { return !one.recognise(revision.name).empty(); });
}

}  // namespace vantro::gate
