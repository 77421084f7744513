// Changes of an image by people, and by the gate: for an account that hands in a checksum
// list, or when an upload's end turns out to be unconfirmed.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "catalog/image.h"
#include "catalog/offers.h"
#include "catalog/vouches.h"
#include "crypto/checksum_list.h"
#include "crypto/digests.h"
#include "repository/change.h"

namespace vantro::repository {

struct Repository;

// A maker's checksum, and its source.
struct Claim {
  crypto::Expected expected;
  std::string source;
  std::string signer;  // of the list's signature, if that was checked; else empty
};

// All in the caller's transaction, and recorded in the change. Updates `image`.

// Compares with each claim, and records the results. Returns those that were added.
// kBusy: a digest is missing (MissingDigests::complete()).
base::Outcome<std::vector<catalog::Vouch>> vouch(db::Transaction& transaction,
                                                 Change& change, catalog::Image& image,
                                                 const std::vector<Claim>& claims);
// The claims of a checksum list about an image.
struct ListedResult {
  std::string image;
  crypto::Algorithm algorithm;
  bool agrees;
};
// For a list that arrived after its images, from `by`: compares with each image that the
// same account has added, and records the results. Other accounts' images are not judged
// by it: a wrong checksum ends their offers. The same list again changes nothing.
base::Outcome<std::vector<ListedResult>> compare_with_list(
    Repository& repository, const std::string& by, const std::string& source,
    const std::string& list_name, const crypto::ChecksumList& list);

// Ends its offers, and returns them. kExists: it is withdrawn already.
base::Outcome<std::vector<catalog::Offer>> withdraw(db::Transaction& transaction,
                                                    Change& change,
                                                    const catalog::Image& image,
                                                    const std::string& why);

}  // namespace vantro::repository
