// The one door: every protocol opens files through it, with the same names, checks,
// limits and records.
//
//   open_read  -> ReadGrant   or a refusal that names the cause and the nearest name
//   open_write -> WriteGrant  or a refusal
//   list       -> what the asker may see in a folder
//   open_intake -> ImageIntake, for the operator's images
//
// Synchronous: it may wait for the disk and the database, so it is called on a disk pool.
// Thread-safe.
#pragma once

#include <chrono>
#include <cstdint>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "auth/accounts.h"
#include "auth/log_ins.h"
#include "auth/rules.h"
#include "backup/backups.h"
#include "backup/retention.h"
#include "backup/treatment.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/log.h"
#include "base/outcome.h"
#include "catalog/catalog.h"
#include "catalog/documents.h"
#include "catalog/offer_index.h"
#include "crypto/secret.h"
#include "gate/admission.h"
#include "gate/asker.h"
#include "gate/filing.h"
#include "gate/grants.h"
#include "gate/intake.h"
#include "gate/inventory.h"
#include "gate/repository.h"
#include "gate/story.h"
#include "gate/transfers.h"
#include "gate/tree.h"
#include "gate/verify_first.h"
#include "ledger/contacts.h"
#include "probe/apart.h"
#include "text/content.h"
#include "text/recogniser.h"

namespace vantro::gate {

struct DepositLimits;

// One address, and how it stands with it.
struct Overview {
  ledger::Contact contact;
  StoryLine last;
};

// The last upload of an asker under some name.
struct OwnUpload {
  std::uint64_t size = 0;  // that came
  bool complete = false;   // else it broke off, and can be gone on with
  base::WallTime at = 0;
};

struct Config {
  // The largest backup that a device may send, in bytes.
  std::uint64_t largest_deposit = std::uint64_t{16} << 30;
  // What one address may send in 24 hours, in bytes.
  std::uint64_t deposited_per_day = std::uint64_t{64} << 30;
  // What is kept of one device, in bytes, if nothing else is said of it; 0: no limit.
  std::uint64_t kept_per_device = 0;
  // Of the disk, in bytes: when less is free, only configurations are taken.
  std::uint64_t reserve = 0;
  backup::Treatment treatment;
  // How long what devices sent is kept. Nothing is removed unless somebody or upkeep
  // thins out.
  backup::KeepRule keep_configurations;
  backup::KeepRule keep_images;
  backup::KeepRule keep_others;
  AdmissionLimits admission;
  std::vector<auth::Rule> rules = auth::default_rules();
  // Bytes that were not compared with their checksum for so long are, before they are
  // handed out; zero: never.
  std::chrono::hours unverified_for{0};
  // An image that nobody has vouched for is not handed out.
  bool only_vouched = false;
  std::vector<text::Recogniser> recognisers;
  // How to look inside; no program: nothing is looked into.
  probe::Apart look;
};

class Gate {
 public:
  // The repository and the clock must outlive the gate. Reads the offers.
  static base::Outcome<std::unique_ptr<Gate>> open(Repository& repository,
                                                   const base::Clock& clock,
                                                   base::Log log, Config config);

  // The right to run one more transfer, to be given to one of the two below. May return
  // kBusy; that is recorded. Cheap: it may be called on an I/O thread.
  base::Outcome<Place> admit(const Asker& asker, Direction direction,
                             std::string_view typed_name);

  // The account's name, to be put into Asker::account. kAccountNeeded or kBusy; that is
  // recorded. Takes about a tenth of a second and 64 MiB.
  base::Outcome<std::string> log_in(const Asker& asker, std::string_view name,
                                    std::string_view password);
  // The same, if it was right lately; cheap enough for an I/O thread.
  std::optional<std::string> logged_in_lately(std::string_view name,
                                              std::string_view password);

  // Whether the account has this key (in base64, RFC 4253, 6.6). Whoever logs in with it
  // must have shown that the other half is theirs. Cheap.
  bool has_key(std::string_view name, const std::string& key) const;
  // Something that is to be known of a log-in, into ledger and log.
  void record_log_in(const Asker& asker, const std::string& sentence);

  // What the name stands for, for an asker who may fetch it.
  base::Outcome<Found> find(const Asker& asker, std::string_view typed_name);
  // The same, and a refusal is recorded.
  base::Outcome<Found> look_up(const Asker& asker, std::string_view typed_name);
  // Before open_read() for that name: true if its bytes must be verified first. Then
  // `then` is called once they are, or after ten seconds, on a thread that it must not
  // hold up.
  bool verify_first(const Asker& asker, std::string_view typed_name,
                    std::function<void()> then);
  // Before those that `then` uses go. What still waits is never told.
  void stop_verifying_first() { verify_first_->stop(); }
  // The right to its bytes; to a part of them, if one is given. kBusy, too, while they
  // are being verified.
  base::Outcome<ReadGrant> open_read(const Asker& asker, Place place, Found found,
                                     const std::optional<Part>& part);
  // Both in one.
  base::Outcome<ReadGrant> open_read(const Asker& asker, Place place,
                                     std::string_view typed_name);

  // What the asker may see in a folder; "" is the top. kNotFound if there is nothing. The
  // second records a refusal.
  base::Outcome<Listing> look_into(const Asker& asker, std::string_view typed_folder);
  base::Outcome<Listing> list(const Asker& asker, std::string_view typed_folder);

  // `announced` is what the sender says of it beforehand. Names in intake/ are handed in.
  base::Outcome<WriteGrant> open_write(const Asker& asker, Place place,
                                       std::string_view typed_name, Announced announced);

  // What came last from the asker's address and account under the name, for one who may
  // send it. Nothing if nothing did.
  base::Outcome<std::optional<OwnUpload>> own_upload(const Asker& asker,
                                                     std::string_view typed_name);

  // The client was gone before it could be told: perhaps it had not sent all of it. What
  // was filed no longer counts as good; may wait for the database.
  void reply_lost(const Filed& filed);

  // Whether it would be allowed; nothing is recorded.
  base::Outcome<void> would_allow(const Asker& asker, auth::Action action,
                                  std::string_view name) const;

  base::Outcome<ImageIntake> open_intake(IntakeOptions options);

  // A request that its protocol refused before the gate was asked. Cheap: it may be
  // called on an I/O thread. Of an address that is refused again and again only so many
  // rows go to the ledger; its contact counts them all.
  void record_refusal(const Asker& asker, const std::string& event, std::string_view name,
                      const base::Refusal& refusal);

  // The addresses that were heard, the last first, each with what happened last. May wait
  // for the database, as the next.
  base::Outcome<std::vector<Overview>> overview(std::size_t most);
  // What happened with one address, in the order of time. kNotFound if it was never
  // heard.
  base::Outcome<std::vector<StoryLine>> story_of(const base::Address& address);

  // What the operator did or the server itself: into ledger and log.
  void record_event(const std::string& event, const std::string& actor,
                    const std::string& sentence);

  // In a process of its own. Takes up to the configured time.
  probe::Report look_inside(int fd, std::uint64_t size) const;
  // What is stored under this SHA-256 was read to its end, and is what it was.
  base::Outcome<void> content_whole(const std::string& sha256);
  // What was read through this handle is not what it was, or is gone; `found` says which.
  // It goes to quarantine, off offer at once, and into ledger and log. False: the same
  // bytes have come again meanwhile, and are no longer the file that was read.
  base::Outcome<bool> content_lost(const std::string& sha256,
                                   const store::StoredHandle& read,
                                   const std::string& found);
  // Everything that is stored under this SHA-256, for people.
  std::string names_of(const std::string& sha256);
  // What is wrong with what is kept, and with the place where it is kept, in sentences.
  base::Outcome<std::vector<std::string>> trouble();
  // Offers whose time is over end, for the records as well: devices get none from that
  // moment on anyway. Call this now and then.
  base::Outcome<void> end_expired_offers();
  // The offers have changed in the database.
  base::Outcome<void> reload_offers();

  // What devices can fetch at this moment.
  std::shared_ptr<const catalog::OfferIndex> index() const;
  std::size_t offers() const { return index()->size(); }
  const std::vector<text::Recogniser>& recognisers() const { return config_.recognisers; }
  const base::Clock& clock() const { return clock_; }
  const base::Log& log() const { return log_; }
  const Transfers& transfers() const { return transfers_; }
  ledger::Contacts& contacts() { return contacts_; }
  Repository& repository() { return repository_; }
  auth::Accounts& accounts() { return *accounts_; }
  const std::vector<auth::Rule>& rules() const { return config_.rules; }
  const backup::Treatment& treatment() const { return config_.treatment; }
  Inventory& inventory() { return inventory_; }
  Filing& filing() { return filing_; }
  const backup::KeepRule& keep_rule(backup::FileKind kind) const;
  // Made at random at the start; never shown.
  const std::string& mark_key() const { return mark_key_; }

 private:
  friend class Transfer;
  friend class BackupWrite;
  friend class HandedImage;
  friend class HandedList;
  friend class ImageIntake;

  Gate(Repository& repository, const base::Clock& clock, base::Log log, Config config)
      : repository_(repository),
        clock_(clock),
        log_(std::move(log)),
        config_(std::move(config)),
        transfers_(clock),
        contacts_(clock),
        inventory_(repository),
        filing_(repository, [this] { reload_offers_or_log(); }),
        mark_key_(crypto::random_hex(32)),
        admission_(config_.admission),
        verify_first_(std::make_unique<VerifyFirst>(*this, config_.unverified_for)) {}

  base::Outcome<std::shared_ptr<const auth::Account>> account_of(
      const Asker& asker) const;
  // As would_allow(), and the account's use is noted.
  base::Outcome<void> allow(const Asker& asker, auth::Action action,
                            std::string_view name);
  catalog::Asking asking(const Asker& asker) const;
  // A fetch found it damaged or gone.
  void stored_file_failed(const Found& found, const base::Refusal& why);
  std::vector<std::string> trouble_with_place() const;
  base::Outcome<Found> find_offer(const Asker& asker, const std::string& name);
  base::Outcome<Found> find_backup(const Asker& asker, const std::string& rest);
  // A single revision that is on offer to the asker under the name.
  std::optional<Found> find_backup_offer(const Asker& asker, const std::string& name);
  base::Outcome<void> add_backups(const Asker& asker, const std::string& start,
                                  std::vector<Listed>& files);
  base::Outcome<void> limits_of(const backup::Revision& revision, DepositLimits& limits);
  // Whether the catalogue has an image of its size: it is that one, or was meant to be.
  base::Outcome<bool> same_as_image(const backup::Revision& revision) const;
  // Whether its name is that of an image.
  bool recognised(const backup::Revision& revision) const;
  bool may_encrypt(const backup::Revision& revision) const;
  // Whether an upload that broke off has on the disk what its record says.
  bool really_there(const backup::Revision& broken) const;
  // `content` is told what came before.
  base::Outcome<store::Arrival> go_on(backup::Revision& revision,
                                      const Announced& announced,
                                      text::ContentTeller& content);
  base::Outcome<WriteGrant> open_backup(const Asker& asker, Place place,
                                        const std::string& name, Announced announced);
  base::Outcome<WriteGrant> open_hand_in(const Asker& asker, Place place,
                                         const std::string& name, Announced announced);
  base::Outcome<ImageIntake> open_intake(IntakeOptions options, TransferView start,
                                         std::optional<Place> place);

  // For a change that is made already.
  void reload_offers_or_log();
  // The name of the device that the address belongs to, or nothing.
  std::string device_at(const base::Address& address) const;
  ledger::Entry entry_of(const TransferView& view) const;
  void log_end(const TransferView& view) const;
  std::vector<TransferView> running_of(const std::string& peer) const;
  std::optional<Absence> absence_after(const ledger::Entry& entry);
  base::Outcome<void> add_kits(Known& known) const;

  Repository& repository_;
  const base::Clock& clock_;
  base::Log log_;
  Config config_;  // constant after construction
  Transfers transfers_;
  ledger::Contacts contacts_;
  Inventory inventory_;
  Filing filing_;
  const std::string mark_key_;
  Admission admission_;
  std::unique_ptr<auth::Accounts> accounts_;  // set by open()
  std::unique_ptr<auth::LogIns> log_ins_;     // set by open()
  mutable std::mutex index_mutex_;
  std::shared_ptr<const catalog::OfferIndex> index_;  // guarded by index_mutex_
  // The last, as its thread uses the others.
  std::unique_ptr<VerifyFirst> verify_first_;
};

}  // namespace vantro::gate
