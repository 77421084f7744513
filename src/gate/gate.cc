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
#include "gate/intake.h"
#include "gate/kept_uploads.h"
#include "gate/verify_first.h"
#include "gate/workings.h"
#include "repository/change.h"
#include "repository/image_changes.h"

namespace vantro::gate {

using base::Refusal;

Gate::Gate(repository::Repository& repository, const base::Clock& clock, base::Log log,
           Config config)
    : workings_(std::make_unique<Workings>(repository, clock, std::move(log),
                                           std::move(config))),
      log_ins_(*workings_),
      admission_(workings_->config()->admission),
      verify_first_(std::make_unique<VerifyFirst>(*workings_,
                                                  workings_->config()->unverified_for)) {}

Gate::~Gate() = default;

void Gate::stop_verifying_first() { verify_first_->stop(); }
std::shared_ptr<const Config> Gate::config() const { return workings_->config(); }
void Gate::use(Config config) {
  admission_.limit(config.admission);
  workings_->use(std::move(config));
}
probe::Report Gate::look_inside(int fd, std::uint64_t size,
                                const probe::Onlooker& onlooker) const {
  return workings_->look_inside(fd, size, onlooker);
}
const base::Clock& Gate::clock() const { return workings_->clock; }
const Transfers& Gate::transfers() const { return workings_->transfers; }
ledger::Contacts& Gate::contacts() { return workings_->contacts; }
void Gate::is_mirror(AsMirror mirror) { workings_->mirror = std::move(mirror); }

base::Outcome<Filed> Gate::file_received(
    const Received& received,
    const std::function<base::Outcome<void>(const store::Arrival::Read&)>& bytes) {
  const auto filed = is_filed(*workings_, received);
  if (!filed) return base::refuse(filed.error());
  if (*filed) return Filed{};
  backup::Revision revision;
  revision.name = received.name;
  revision.announced = received.size;
  return gate::file_received(*workings_, received, may_encrypt(revision), bytes);
}

base::Outcome<std::size_t> Gate::file_kept(const store::StateFolder& folder) {
  auto filed = gate::file_kept(*workings_, folder);
  if (&folder != &workings_->repository.folder) return filed;
  const auto left = folder.list_kept();
  workings_->has_kept = !left || !left->empty();
  return filed;
}
Boards& Gate::boards() const { return workings_->boards; }

void Gate::record_refusal(const Asker& asker, const std::string& event,
                          std::string_view name, const Refusal& refusal) {
  workings_->record_refusal(asker, event, name, refusal);
}

void Gate::begin_drain(std::chrono::seconds longest, bool stopping, std::string reason) {
  std::vector<base::Address> at_it;
  for (const auto& one : transfers().view()) {
    if (one.state != State::kRunning) continue;
    if (const auto address = base::Address::parse(one.peer)) at_it.push_back(*address);
  }
  workings_->drain.begin(longest, stopping, std::move(reason), at_it);
}

Drain& Gate::drain() { return workings_->drain; }
const Drain& Gate::drain() const { return workings_->drain; }

bool Gate::idle() const {
  return transfers().waited_for() == 0 && !workings_->drain.between_files();
}

std::uint64_t Gate::refused() const { return workings_->recording.refused(); }
void Gate::record_gathered() { workings_->recording.write_gathered(); }

std::shared_ptr<const catalog::OfferIndex> Gate::index() const {
  return workings_->repository.offer_index();
}

base::Outcome<Place> Gate::admit(const Asker& asker, Direction direction,
                                 std::string_view typed_name) {
  const auto refused = [&](const Refusal& refusal) {
    record_refusal(asker, word(direction), typed_name, refusal);
    return base::refuse(refusal);
  };
  if (workings_->config()->only_recorded && workings_->repository.ledger.failing()) {
    return refused({base::Kind::kBusy,
                    "the server can't record transfers at the moment, so it refuses "
                    "them; see 'vantro status'"});
  }
  if (workings_->repository.snapshot()->rescues->at(asker.interface(), asker.peer.address,
                                                    workings_->clock.wall()) != nullptr) {
    workings_->drain.let(asker.peer.address);
  }
  if (auto draining = workings_->drain.refuses(asker.peer.address,
                                               admission_.running(asker.peer.address))) {
    return refused(*draining);
  }
  auto place = admission_.admit(asker.peer.address);
  if (!place) return refused(place.error());
  return place;
}

void Gate::on_refusal(
    std::function<void(const Asker&, std::string_view, const base::Refusal&)> told) {
  workings_->refused = std::move(told);
}

void Gate::on_other_platform(
    std::function<void(const Asker&, const std::string&, const std::string&)> told) {
  workings_->other_platform = std::move(told);
}

void Gate::reply_lost(const Filed& filed) {
  const auto failed = [&](const Refusal& refusal) {
    workings_->log.error("an upload whose end was not confirmed could not be marked",
                         {{"what", filed.sentence}, {"why", refusal.sentence}});
  };
  if (!filed.new_image.empty()) {
    const auto withdrawn = repository::change(
        workings_->repository, "server",
        [&](db::Transaction& t,
            repository::Change& change) -> base::Outcome<std::vector<catalog::Offer>> {
          const auto image = catalog::Catalog::find(t, filed.new_image);
          if (!image) return base::refuse(image.error());
          return repository::withdraw(t, change, *image, catalog::kEndNotConfirmed);
        });
    if (!withdrawn) failed(withdrawn.error());
  }
  if (filed.record == 0) return;
  const auto found = workings_->repository.backups.find(filed.record);
  if (!found) return failed(found.error());
  if (!*found) return;
  const auto& revision = **found;
  ledger::Entry entry;
  entry.at = workings_->clock.wall();
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
  workings_->log.warning(
      "the end of a deposit was not confirmed",
      {{"device", revision.address}, {"name", revision.name}, {"bytes", revision.size}});
  auto marked = workings_->repository.database->write(
      [&](db::Transaction& t) -> base::Outcome<void> {
        backup::Backups::set_unconfirmed(t, revision);
        ledger::Ledger::record(t, entry);
        return {};
      });
  if (!marked) failed(marked.error());
}

}  // namespace vantro::gate
