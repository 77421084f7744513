// An image on its way into the catalogue: its bytes, its maker's checksums, a look
// inside, and the facts in name and content.
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
  std::optional<std::uint64_t> size;  // the announced size, if known
  // By catalog::fact_names(); an empty one is not taken from suggestions either.
  std::map<std::string, std::string> facts;
  std::vector<Claim> claims;     // if one differs, the image is not filed
  bool record_claims = true;     // else they are compared, and forgotten
  bool take_suggestions = true;  // missing facts, from name and content
  // File it even if it is truncated, damaged, or looks like something other than an
  // image.
  bool despite_findings = false;
  bool hold = false;  // not on offer for now
  // Asked at every piece, and during the look inside: true ends it, and nothing of it
  // stays. It must be cheap. None: nobody stops it.
  std::function<bool()> stop = {};
};

struct Taken {
  catalog::Added added;
  probe::Report inside;
  // Facts in name and content; set if that was wanted and nothing was known.
  std::vector<catalog::Suggestion> suggestions;
  std::string offer;      // the name for fetching it now; empty: none
  std::string note;       // why it is not on offer, if that was not wanted
  bool compared = false;  // with a maker's checksum
  // Requests that were not carried out, as the image was known already; in sentences.
  std::vector<std::string> not_done = {};
  // It was withdrawn as perhaps not whole; now the same bytes arrived again, which
  // settles it.
  bool settled = false;
};

// The facts that the options give; kInvalid: one is not a fact.
base::Outcome<catalog::Facts> facts_given(const IntakeOptions& options);

// If it is destroyed before commit() succeeded, nothing of it stays.
class ImageIntake {
 public:
  ImageIntake(ImageIntake&& other) noexcept;
  ImageIntake& operator=(ImageIntake&&) = delete;
  ~ImageIntake();

  base::Outcome<void> write(base::ByteView bytes);
  // The sender is silent: the transfer counts as stalled until the next write().
  void nothing_came();
  base::Outcome<void> sync() { return arrival_.sync(); }

  // Everything has arrived: returns the file's form. kIo, kFull. REQUIRES: no write() was
  // refused.
  base::Outcome<crypto::FileForm> finish();
  // The received text. REQUIRES: finish() has succeeded.
  base::Outcome<std::string> text() const;
  // It is not an image: `keep` stores what it is instead, in one transaction with the
  // ledger row. REQUIRES: finish() has succeeded.
  base::Outcome<void> keep_otherwise(
      const std::string& sentence,
      const std::function<base::Outcome<void>(db::Transaction&)>& keep);

  // Compares with the claims and looks inside before anything is filed: kMismatch if a
  // checksum differs, kInvalid if it is empty, a checksum list or a signature, or
  // truncated or damaged inside. May return kExists: the name stands for other bytes.
  // Takes as long as the look does; `have_read` is told ten times a second how many bytes
  // the look has read. REQUIRES: no write() was refused.
  using HaveRead = std::function<void(std::uint64_t)>;
  base::Outcome<Taken> commit(const HaveRead& have_read = {});
  // Before commit(): replaces the description from the beginning; name, size and sender
  // stay. kInvalid: a fact is not valid; then nothing changes.
  base::Outcome<void> describe(IntakeOptions options);
  // Before commit(): more of the maker's checksums; and the sender's own, which are only
  // compared.
  void add_claims(const std::vector<Claim>& claims);
  void expect(const std::vector<crypto::Expected>& announced);
  // Such claims will be added later: what they compare with is computed as the bytes
  // arrive.
  void need(const std::vector<Claim>& claims);
  // kMismatch: the sender announced something else. REQUIRES: finish() has succeeded.
  base::Outcome<void> compare_announced();
  // It was interrupted: nothing of it stays. Only the first call of this or commit()
  // counts.
  void fail(State how, const std::string& why);

  const std::string& name() const { return options_.name; }
  const Transfer& transfer() const { return transfer_; }
  // The result, for the ledger and for people.
  std::string sentence(const Taken& taken) const;

  // Of the received bytes; empty before commit() was called. Of a large file only those
  // that were compared, and SHA-256.
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
  std::optional<crypto::FileForm> form_;  // after everything has arrived
  std::optional<crypto::Expected> differing_;
  Transfer transfer_;
};

}  // namespace vantro::gate
