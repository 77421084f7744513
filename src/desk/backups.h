// What people do with backups. Each change and its ledger row are one transaction.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "backup/backup_offers.h"
#include "backup/backups.h"
#include "backup/retention.h"
#include "base/outcome.h"
#include "desk/caller.h"
#include "gate/gate.h"
#include "gate/intake.h"
#include "repository/repository.h"

namespace vantro::desk {

struct OfferWish {
  std::string name;  // the name that devices type
  std::string to;    // a device or address, as typed; empty: the backup's holder
  std::optional<base::WallTime> until;  // nothing: a day from now
};

// What thinning removed, or would remove.
struct ThinnedOut {
  struct File {
    backup::Holder holder;
    std::string name;
    std::vector<backup::Judged> revisions;  // newest first
  };
  std::vector<File> files;    // with removed revisions
  std::size_t revisions = 0;  // removed ones
  std::uint64_t bytes = 0;    // freed bytes: those that nothing else needs
  std::size_t kept = 0;       // remaining ones
  bool done = false;
  // Where the next portion begins; 0: that was all.
  std::int64_t next = 0;
};

// Revisions are as backup::Backups::find() gave them. Thread-safe; repository and
// gate must outlive it.
class Backups {
 public:
  Backups(repository::Repository& repository, gate::Gate& gate, Caller caller)
      : repository_(repository), gate_(gate), caller_(std::move(caller)) {}

  // Kept for ever, whatever retention says. kInvalid: it was interrupted.
  base::Outcome<void> pin(const backup::Revision& revision, const std::string& why);
  base::Outcome<void> unpin(const backup::Revision& revision);

  // On offer to one device, for at most 30 days. kInvalid, kExists; kDenied: it was
  // interrupted or is damaged.
  base::Outcome<backup::BackupOffer> offer(const backup::Revision& revision,
                                           const OfferWish& wish);
  // kNotFound.
  base::Outcome<std::size_t> end_offer(const std::string& name);

  // kInvalid: it is a configuration. Its bytes become an image of the catalogue like any
  // other; they are read and looked into for that, which may take a minute.
  base::Outcome<gate::Taken> adopt(const backup::Revision& revision,
                                   gate::IntakeOptions options);

  // By retention. `really` false: nothing is removed. A portion of some thousand
  // revisions, from where the previous one ended.
  base::Outcome<ThinnedOut> thin_out(bool really, std::int64_t from = 0);
  // All portions, really.
  base::Outcome<void> thin_out_all();

 private:
  base::Outcome<bool> all_go(const std::string& sha256, std::size_t going) const;
  void remove_file(const ThinnedOut::File& file, std::vector<std::string>& unused);

  repository::Repository& repository_;
  gate::Gate& gate_;
  Caller caller_;
};

}  // namespace vantro::desk
