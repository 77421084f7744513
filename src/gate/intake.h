// An image on its way into the catalogue: its bytes, the checksums that its maker
// publishes, a look inside, and the facts that name and content tell.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "catalog/catalog.h"
#include "crypto/digests.h"
#include "gate/grants.h"
#include "gate/transfers.h"
#include "probe/report.h"
#include "repository/by.h"
#include "repository/image_changes.h"
#include "store/arrival.h"

namespace vantro::gate {

class Gate;
struct Workings;

using repository::Claim;

struct IntakeOptions {
  std::string name;  // as typed
  repository::By by = {"server"};
  std::optional<std::uint64_t> size;         // what will come, if that is known
  std::map<std::string, std::string> facts;  // catalog::fact_names()
  std::vector<Claim> claims;                 // what differs is not filed
  bool record_claims = true;                 // else they are compared, and forgotten
  bool take_suggestions = true;   // facts that nobody gave, from name and content
  bool despite_findings = false;  // file it though it is cut short or damaged
  bool hold = false;              // not on offer for now
  // Asked at every piece, and while it is looked into: true ends it, and nothing of it
  // stays. It must be cheap. None: nobody stops it.
  std::function<bool()> stop = {};
};

struct Taken {
  catalog::Added added;
  probe::Report inside;
  // What name and content tell; taken where that was wanted and nothing was known.
  std::vector<catalog::Suggestion> suggestions;
  std::string offer;  // the name under which devices can fetch it now; empty: none
  std::string note;   // why it is not on offer, where that was not wanted
  // It was withdrawn as perhaps not whole; that its bytes have come again settles it.
  bool settled = false;
};

// Destroyed before commit() succeeded, nothing of it stays.
class ImageIntake {
 public:
  ImageIntake(ImageIntake&& other) noexcept;
  ImageIntake& operator=(ImageIntake&&) = delete;
  ~ImageIntake();

  base::Outcome<void> write(base::ByteView bytes);
  base::Outcome<void> sync() { return arrival_.sync(); }

  // Compares with the claims and looks inside before anything is filed: kMismatch if a
  // checksum differs, kInvalid if the look finds it cut short or damaged. May return
  // kExists: the name stands for other bytes. Takes as long as the look does. REQUIRES:
  // no write() was refused.
  base::Outcome<Taken> commit();
  // Before commit(): more of the maker's checksums; and what the sender announced, which
  // is compared only.
  void add_claims(std::vector<Claim> claims);
  void expect(std::vector<crypto::Expected> announced);
  // Broke off: nothing of it stays. Only the first call of this or commit() counts.
  void fail(State how, const std::string& why);

  const std::string& name() const { return options_.name; }
  const Transfer& transfer() const { return transfer_; }
  // What became of it, for the ledger and for people.
  std::string sentence(const Taken& taken) const;

  // What came; empty before commit() was called.
  const crypto::Digests& digests() const { return digests_; }
  // The claim that commit() found to differ.
  const std::optional<crypto::Expected>& differing() const { return differing_; }

 private:
  friend class Gate;
  ImageIntake(Workings& workings, IntakeOptions options, catalog::Facts facts,
              store::Arrival arrival, Transfer transfer);

  base::Outcome<void> stopped() const;
  base::Outcome<void> compare();
  base::Outcome<void> look_inside(Taken& taken);
  void take_suggestions(Taken& taken);
  base::Outcome<void> file(db::Transaction& transaction, catalog::Image image,
                           Taken& taken);

  Workings* workings_;
  IntakeOptions options_;  // the name in its one spelling
  catalog::Facts facts_;
  std::vector<crypto::Expected> announced_;
  bool open_ = true;
  store::Arrival arrival_;
  crypto::Digests digests_;
  std::optional<crypto::Expected> differing_;
  Transfer transfer_;
};

}  // namespace vantro::gate
