// A backup that is being received.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "backup/backups.h"
#include "gate/write_sink.h"
#include "ledger/ledger.h"
#include "store/arrival.h"
#include "text/content.h"

namespace vantro::gate {

// The limits for the rest of one deposit.
struct DepositLimits {
  std::uint64_t quota = 0;  // of its holder, in bytes; 0: none
  std::uint64_t kept = 0;   // used by its holder
  // The same for the IPv6 /64 of its sender; only if that address belongs to no device.
  std::uint64_t quota_of_network = 0;
  std::uint64_t kept_of_network = 0;
  // The disk is nearly full. `named` is the kind that the file's name says.
  bool only_configurations = false;
  std::uint64_t configuration_up_to = 0;
  backup::FileKind named = backup::FileKind::kUnknown;

  // Whether `bytes` of one file fit into the quotas. kFull.
  base::Outcome<void> check_quota(std::uint64_t bytes) const;
};

// The refusal when the disk is nearly full.
base::Refusal only_configurations();

class BackupWrite final : public WriteSink {
 public:
  BackupWrite(Workings& workings, backup::Revision revision, const base::Address& from,
              Announced announced, DepositLimits limits, text::ContentTeller content,
              store::Arrival arrival, Transfer transfer);

  base::Outcome<void> write(base::ByteView bytes) override;
  base::Outcome<void> sync() override { return arrival_.sync(); }
  void expect(const std::vector<crypto::Expected>& digests) override;
  void ended(Ending ending) override { revision_.ending = ending; }
  base::Outcome<Filed> commit() override;
  void abandon(State how, const std::string& why, bool keep) override;
  const Transfer& transfer() const override { return transfer_; }

  // It arrived at that time, and was acknowledged then (gate/kept_uploads.h): no limit is
  // in its way any more. Before the first write().
  void was_kept(base::WallTime arrived_at) { kept_at_ = arrived_at; }

 private:
  // As kept_uploads.h: the database is away.
  base::Outcome<Filed> keep_for_later();
  backup::Holder holder_now() const;
  // In the transaction that records it.
  base::Outcome<void> settle_holder(db::Transaction& transaction);
  // Its kind, and its substance.
  base::Outcome<void> judge();
  // Reads its facts about the device before it is filed.
  base::Outcome<void> read_report();
  base::Outcome<backup::Added> file();
  void record(db::Transaction& transaction, ledger::Entry entry,
              const backup::Added& added) const;
  // Stores its facts about the device's software in the device's state. Returns a part of
  // a sentence.
  std::string learn(db::Transaction& transaction, const backup::Revision& filed) const;
  std::string rest_of_sentence(const backup::Added& added) const;
  void count_for_network(std::uint64_t bytes) const;

  Workings& workings_;
  backup::Revision revision_;
  base::Address from_;  // who sends it
  Announced announced_;
  DepositLimits limits_;
  std::uint64_t looked_at_ = 0;  // its size at the last check of the disk
  bool differs_ = false;         // from an announced digest
  base::WallTime kept_at_ = 0;   // when it arrived, if that was earlier; else 0
  text::ContentTeller
      content_;  // has read all bytes, including those before an interruption
  // The newest one before it, judged by today's rules.
  std::optional<backup::Revision> before_;
  bool rejudged_ = false;
  std::string report_;  // of a report: its text, up to a limit
  // The image with these bytes, by name, which the device thus has; or empty.
  std::string same_image_;
  store::Arrival arrival_;
  Transfer transfer_;
};

}  // namespace vantro::gate
