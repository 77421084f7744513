// Changes of an image that people make, and that the gate makes as well: for an account
// that hands in a checksum list, or when an upload's end turns out not to be confirmed.
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

// A checksum of the maker's, and where it came from.
struct Claim {
  crypto::Expected expected;
  std::string source;
  std::string signer;  // of the list it stood in, if that was checked; else empty
};

// All in the caller's transaction, and recorded in the change. The image is brought up to
// date.

// Compares with each claim, and keeps the results. Those that were added.
std::vector<catalog::Vouch> vouch(db::Transaction& transaction, Change& change,
                                  catalog::Image& image,
                                  const std::vector<Claim>& claims);
// What a checksum list said of an image.
struct ListedResult {
  std::string image;
  crypto::Algorithm algorithm;
  bool agrees;
};
// A list that came behind its images, from `by`: compares with each image that the same
// one has added, and keeps the results. Others' images are not judged by it: a wrong
// checksum takes them off offer. The same list again changes nothing.
base::Outcome<std::vector<ListedResult>> compare_with_list(
    Repository& repository, const std::string& by, const std::string& source,
    const std::string& list_name, const crypto::ChecksumList& list);

// Ends its offers, and returns them. kExists: it is withdrawn already.
base::Outcome<std::vector<catalog::Offer>> withdraw(db::Transaction& transaction,
                                                    Change& change,
                                                    const catalog::Image& image,
                                                    const std::string& why);

}  // namespace vantro::repository
