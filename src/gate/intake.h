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
#include "crypto/file_form.h"
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
  std::optional<std::uint64_t> size;  // what will come, if that is known
  // By catalog::fact_names(); an empty one is not taken from suggestions either.
  std::map<std::string, std::string> facts;
  std::vector<Claim> claims;     // what differs is not filed
  bool record_claims = true;     // else they are compared, and forgotten
  bool take_suggestions = true;  // facts that nobody gave, from name and content
  // File it though it is truncated, damaged, or looks like something else than an image.
  bool despite_findings = false;
  bool hold = false;  // not on offer for now
  // Asked at every piece, and while it is looked into: true ends it, and nothing of it
  // stays. It must be cheap. None: nobody stops it.
  std::function<bool()> stop = {};
};

struct Taken {
  catalog::Added added;
  probe::Report inside;
  // What name and content tell; taken where that was wanted and nothing was known.
  std::vector<catalog::Suggestion> suggestions;
  std::string offer;      // the name under which devices can fetch it now; empty: none
  std::string note;       // why it is not on offer, where that was not wanted
  bool compared = false;  // with a checksum of its maker's
  // What was asked for and not done, as the image was known already; in sentences.
  std::vector<std::string> not_done = {};
  // It was withdrawn as perhaps not whole; that its bytes have come again settles it.
  bool settled = false;
};

// The facts that the options give; kInvalid: one is not a fact.
base::Outcome<catalog::Facts> facts_given(const IntakeOptions& options);

// Destroyed before commit() succeeded, nothing of it stays.
class ImageIntake {
 public:
  ImageIntake(ImageIntake&& other) noexcept;
  ImageIntake& operator=(ImageIntake&&) = delete;
  ~ImageIntake();

  base::Outcome<void> write(base::ByteView bytes);
  // The sender is silent: the transfer counts as stalled until the next write().
  void nothing_came();
  base::Outcome<void> sync() { return arrival_.sync(); }

  // All has come: says what it is. kIo, kFull. REQUIRES: no write() was refused.
  base::Outcome<crypto::FileForm> finish();
  // What came. REQUIRES: finish() has succeeded.
  base::Outcome<std::string> text() const;
  // It is not an image: `keep` keeps what is to be kept of it, in one transaction with
  // the ledger row. REQUIRES: finish() has succeeded.
  base::Outcome<void> keep_otherwise(
      const std::string& sentence,
      const std::function<base::Outcome<void>(db::Transaction&)>& keep);

  // Compares with the claims and looks inside before anything is filed: kMismatch if a
  // checksum differs, kInvalid if it is empty, a checksum list or a signature, or the
  // look finds it truncated or damaged. May return kExists: the name stands for other
  // bytes. Takes as long as the look does; `have_read` is told ten times a second how
  // many bytes that has read. REQUIRES: no write() was refused.
  using HaveRead = std::function<void(std::uint64_t)>;
  base::Outcome<Taken> commit(const HaveRead& have_read = {});
  // Before commit(): what is said of it takes the place of what was said when it was
  // opened; name, size and who brings it stay. kInvalid: a fact is not one; then nothing
  // changes.
  base::Outcome<void> describe(IntakeOptions options);
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
  base::Outcome<void> is_an_image() const;
  base::Outcome<void> look_inside(Taken& taken, const HaveRead& have_read);
  void take_suggestions(Taken& taken);
  void note_what_stays(Taken& taken) const;
  base::Outcome<void> file(db::Transaction& transaction, catalog::Image image,
                           Taken& taken);

  Workings* workings_;
  IntakeOptions options_;  // the name in its one spelling
  catalog::Facts facts_;
  std::vector<crypto::Expected> announced_;
  bool open_ = true;
  store::Arrival arrival_;
  crypto::Digests digests_;
  std::optional<crypto::FileForm> form_;  // once all has come
  std::optional<crypto::Expected> differing_;
  Transfer transfer_;
};

}  // namespace vantro::gate
