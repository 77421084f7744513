// The one door: every protocol opens files through it, with the same names, checks,
// limits and records.
//
//   open_read  -> ReadGrant   or a refusal that names the cause and the nearest name
//   open_write -> WriteGrant  or a refusal
//   list       -> the entries of a folder that the asker may see
//   open_intake -> ImageIntake, for the operator's images
//
// Synchronous: it may wait for the disk and the database, so it is called on a disk pool.
// Thread-safe.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "auth/rules.h"
#include "base/clock.h"
#include "base/log.h"
#include "base/outcome.h"
#include "gate/as_mirror.h"
#include "gate/asker.h"
#include "gate/config.h"
#include "gate/drain.h"
#include "gate/grants.h"
#include "gate/log_ins.h"
#include "gate/suggestion_purse.h"
#include "ledger/contacts.h"
#include "probe/apart.h"
#include "probe/report.h"
#include "store/arrival.h"

namespace vantro::catalog {
class OfferIndex;
struct Asking;
struct Image;
struct Offer;
}  // namespace vantro::catalog
namespace vantro::repository {
struct Repository;
}
namespace vantro::text {
class ContentTeller;
}

namespace vantro::store {
class StateFolder;
}

namespace vantro::gate {

struct DepositLimits;
struct IntakeOptions;
struct Received;
class ImageIntake;
class VerifyFirst;
struct Workings;

// An asker's last upload under some name.
struct OwnUpload {
  std::uint64_t size = 0;  // received
  bool complete = false;   // else it was interrupted, and can be resumed
  base::WallTime at = 0;
};

class Boards;

class Gate {
 public:
  // The repository and the clock must outlive the gate.
  Gate(repository::Repository& repository, const base::Clock& clock, base::Log log,
       Config config);
  ~Gate();

  // The right to run one more transfer, for one of the two calls below. May return kBusy;
  // that is recorded. Cheap: it may be called on an I/O thread.
  base::Outcome<Place> admit(const Asker& asker, Direction direction,
                             std::string_view typed_name);

  // The content behind the name, for an asker who may fetch it.
  base::Outcome<Found> find(const Asker& asker, std::string_view typed_name);
  // The same, and a refusal is recorded.
  base::Outcome<Found> look_up(const Asker& asker, std::string_view typed_name);
  // Before open_read() for that name: true if its bytes must be verified first. Then
  // `then` is called after that, or after ten seconds, on a thread that it must not
  // block.
  bool verify_first(const Asker& asker, std::string_view typed_name,
                    std::function<void()> then);
  // Before the objects that `then` uses are destroyed. Waiting calls are dropped.
  void stop_verifying_first();
  // The right to its bytes, or to a part of them. kBusy, too, while they are being
  // verified.
  base::Outcome<ReadGrant> open_read(const Asker& asker, Place place, Found found,
                                     const std::optional<Part>& part);
  // Both in one.
  base::Outcome<ReadGrant> open_read(const Asker& asker, Place place,
                                     std::string_view typed_name);

  // The entries of a folder that the asker may see; "" is the top. kNotFound if there are
  // none. The second records a refusal.
  base::Outcome<Listing> look_into(const Asker& asker, std::string_view typed_folder);
  base::Outcome<Listing> list(const Asker& asker, std::string_view typed_folder);

  // An image, to be sent to a device that waits for it at asker.peer. kDenied: the
  // settings (push.to) do not allow that address, and no rescue session is open to it.
  // `name` is the one for the device.
  base::Outcome<ReadGrant> open_push(const Asker& asker, const catalog::Image& image,
                                     const std::string& name);

  // `announced` is the sender's description. Names in intake/ are hand-ins.
  base::Outcome<WriteGrant> open_write(const Asker& asker, Place place,
                                       std::string_view typed_name, Announced announced);

  // The last upload from the asker's address and account under the name, for an asker who
  // may send it. Nothing if there was none.
  base::Outcome<std::optional<OwnUpload>> own_upload(const Asker& asker,
                                                     std::string_view typed_name);

  // The client disappeared before the reply: perhaps it had not sent everything. The
  // filed upload no longer counts as good; may wait for the database.
  void reply_lost(const Filed& filed);

  // Whether it would be allowed; nothing is recorded.
  base::Outcome<void> would_allow(const Asker& asker, auth::Action action,
                                  std::string_view name) const;

  // Whether the image on offer under the name would be handed out; nothing is recorded.
  base::Outcome<void> would_hand_out(const Asker& asker, const std::string& name) const;

  base::Outcome<ImageIntake> open_intake(IntakeOptions options);
  // Looks into a file as an intake does; takes up to the configured time.
  probe::Report look_inside(int fd, std::uint64_t size,
                            const probe::Onlooker& onlooker) const;

  // A request that its protocol refused before the gate was asked. Cheap: it may be
  // called on an I/O thread. For an address that is refused again and again, the ledger
  // gets a limited number of rows; its contact counts all refusals.
  void record_refusal(const Asker& asker, const std::string& event, std::string_view name,
                      const base::Refusal& refusal);

  // Called for each refusal, on the thread that refuses; must not wait. Set before the
  // first listener answers.
  void on_refusal(
      std::function<void(const Asker&, std::string_view name, const base::Refusal&)>
          told);

  // Called when a device of the inventory asks for an image for other hardware, whether
  // it gets it or not: as on_refusal(); `what` says why it does not fit.
  void on_other_platform(
      std::function<void(const Asker&, const std::string& name, const std::string& what)>
          told);

  // Writes the combined rows of addresses over their limit to the ledger. Once a minute.
  void record_gathered();
  // Devices' requests that were refused since the start.
  std::uint64_t refused() const;

  // This server is a mirror. Set before the first listener answers.
  void is_mirror(AsMirror mirror);

  // Files a backup that another server received. `bytes` passes them on from the first.
  base::Outcome<Filed> file_received(
      const Received& received,
      const std::function<base::Outcome<void>(const store::Arrival::Read&)>& bytes);
  // Files what was kept in this folder while the database was away (gate/kept_uploads.h).
  base::Outcome<std::size_t> file_kept(const store::StateFolder& folder);

  // The current settings; never null.
  std::shared_ptr<const Config> config() const;
  // For new requests. Running transfers go on; but whether and when contents are verified
  // first is fixed at the start.
  void use(Config config);
  const base::Clock& clock() const;
  const Transfers& transfers() const;
  // Refuses new transfers for so long at most; `stopping`: the server ends with it.
  // Running transfers go on.
  void begin_drain(std::chrono::seconds longest, bool stopping, std::string reason);
  Drain& drain();
  const Drain& drain() const;
  // No transfer that a stop waits for is running, and no device is between two files.
  bool idle() const;
  ledger::Contacts& contacts();
  // The same of all nodes.
  Boards& boards() const;
  LogIns& log_ins() { return log_ins_; }

 private:
  // The names that devices can fetch now.
  std::shared_ptr<const catalog::OfferIndex> index() const;
  base::Outcome<std::shared_ptr<const auth::Account>> account_of(
      const Asker& asker) const;
  // As would_allow(), and records the account's use.
  base::Outcome<void> allow(const Asker& asker, auth::Action action,
                            std::string_view name);
  catalog::Asking asking(const Asker& asker) const;
  // A fetch found it damaged or missing.
  void stored_file_failed(const Found& found, const base::Refusal& why);
  base::Outcome<Found> find_offer(const Asker& asker, const std::string& name);
  // Whether the image may go to that device; `found` receives a warning.
  base::Outcome<void> check_device(const Asker& asker, const catalog::Offer& offer,
                                   Found& found) const;
  // The name that was probably meant; empty: none, or the budget for suggestions is used
  // up.
  std::string suggestion(const catalog::OfferIndex& offers, const catalog::Asking& who,
                         const std::string& name);
  base::Outcome<Found> find_by_rules(const Asker& asker, const std::string& name);
  // The meaning of the name in the rescue session on the asker's interface; nothing: no
  // session, or not one of its names.
  std::optional<base::Outcome<Found>> find_in_rescue(const Asker& asker,
                                                     const std::string& name);
  // After a refusal: the nearest of the session's names, if one is near.
  base::Refusal refusal_in_rescue(const Asker& asker, const std::string& name,
                                  base::Refusal refusal) const;
  base::Outcome<Found> find_backup(const Asker& asker, const std::string& rest);
  // A single revision that is on offer to the asker under the name.
  std::optional<Found> find_backup_offer(const Asker& asker, const std::string& name);
  base::Outcome<void> add_backups(const Asker& asker, const std::string& start,
                                  std::vector<Listed>& files);
  base::Outcome<void> quotas_of(const backup::Revision& revision,
                                const base::Address& from, DepositLimits& limits);
  base::Outcome<void> limits_of(const backup::Revision& revision,
                                const base::Address& from, DepositLimits& limits);
  bool may_encrypt(const backup::Revision& revision) const;
  // Whether the bytes of an interrupted upload on disk match its record.
  bool really_there(const backup::Revision& broken) const;
  // `content` gets the bytes before the interruption.
  base::Outcome<store::Arrival> go_on(backup::Revision& revision,
                                      const Announced& announced,
                                      text::ContentTeller& content);
  base::Outcome<WriteGrant> open_backup(const Asker& asker, Place place,
                                        const std::string& name, Announced announced);
  base::Outcome<WriteGrant> open_hand_in(const Asker& asker, Place place,
                                         const std::string& name, Announced announced);
  base::Outcome<ImageIntake> open_intake(IntakeOptions options, TransferView start,
                                         std::optional<Place> place);

  std::unique_ptr<Workings> workings_;
  LogIns log_ins_;
  Admission admission_;
  SuggestionPurse suggestions_;
  // The last, as its thread uses the others.
  std::unique_ptr<VerifyFirst> verify_first_;
};

}  // namespace vantro::gate
