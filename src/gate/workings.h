// The shared parts behind the gate and its objects. Protocols do not see it.
#pragma once

#include <atomic>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "backup/revision.h"
#include "base/clock.h"
#include "base/log.h"
#include "base/outcome.h"
#include "gate/as_mirror.h"
#include "gate/asker.h"
#include "gate/boards.h"
#include "gate/canary.h"
#include "gate/config.h"
#include "gate/deposit_rates.h"
#include "gate/drain.h"
#include "gate/kept_by_network.h"
#include "gate/mapped_files.h"
#include "gate/recording.h"
#include "gate/transfers.h"
#include "ledger/contacts.h"
#include "ledger/ledger.h"
#include "probe/apart.h"
#include "probe/report.h"
#include "repository/published.h"
#include "repository/repository.h"

namespace vantro::gate {

// Thread-safe. Repository and clock must outlive it.
struct Workings {
  Workings(repository::Repository& the_repository, const base::Clock& the_clock,
           base::Log the_log, Config the_config)
      : repository(the_repository),
        clock(the_clock),
        log(std::move(the_log)),
        canary(the_repository.folder.own() + "/canary"),
        transfers(the_clock),
        drain(the_clock),
        contacts(the_clock),
        boards(the_repository, transfers, contacts),
        recording(the_repository.ledger, the_clock) {
    use(std::move(the_config));
    const auto kept = repository.folder.list_kept();
    has_kept = !kept || !kept->empty();
  }

  // The current settings; never null.
  std::shared_ptr<const Config> config() const { return config_.get(); }
  void use(Config fresh) {
    config_.set(std::make_shared<const Config>(std::move(fresh)));
  }

  // Whether a backup that arrives now is to be kept for later (gate/kept_uploads.h): also
  // behind others that are, so that they are filed in their order.
  bool keeps_uploads() const {
    return config()->keep_while_away && (has_kept || repository.database->away());
  }
  // As Gate::record_refusal().
  void record_refusal(const Asker& asker, const std::string& event, std::string_view name,
                      const base::Refusal& refusal);
  // The ledger row of an ended transfer, and its log line.
  ledger::Entry entry_of(const TransferView& view) const;
  void log_end(const TransferView& view) const;

  // Looks into a file in a process of its own, which takes up to the configured time.
  probe::Report look_inside(int fd, std::uint64_t size,
                            const probe::Onlooker& onlooker) const;
  // As MappedFiles::share(). Only TFTP sends a file in pieces that it builds itself; null
  // for the others, and without a file.
  std::shared_ptr<const SentFile> shared_with_others(const Asker& asker,
                                                     base::UniqueFd& file,
                                                     std::uint64_t size);
  // Whether the catalogue has an image of its size: it is that one, or an interrupted
  // copy of it.
  base::Outcome<bool> same_as_image(const backup::Revision& revision) const;
  // Whether its name is that of an image.
  bool recognised(const backup::Revision& revision) const;

  repository::Repository& repository;
  const base::Clock& clock;
  base::Log log;
  Canary canary;
  Transfers transfers;
  Drain drain;
  ledger::Contacts contacts;
  Boards boards;
  DepositRates deposit_rates;
  KeptByNetwork kept_by_network;
  MappedFiles mapped_files;
  Recording recording;
  std::atomic<bool> has_kept = false;
  // As Gate::is_mirror(); nothing: it is not one.
  std::optional<AsMirror> mirror;
  // As Gate::on_refusal().
  std::function<void(const Asker&, std::string_view, const base::Refusal&)> refused;
  // As Gate::on_other_platform().
  std::function<void(const Asker&, const std::string&, const std::string&)>
      other_platform;

 private:
  repository::Published<Config> config_;
};

}  // namespace vantro::gate
