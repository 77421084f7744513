// What people do with images: facts, vouching, withdrawing, documents. Each change and
// its ledger rows, with the old and the new value, are one transaction.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "catalog/catalog.h"
#include "catalog/documents.h"
#include "catalog/offers.h"
#include "catalog/vouches.h"
#include "desk/caller.h"
#include "repository/image_changes.h"
#include "repository/repository.h"

namespace vantro::desk {

struct Vouched {
  catalog::Image image;
  std::vector<catalog::Vouch> vouches;  // that were added
};

// New facts of an image by the recognisers.
struct Recognised {
  std::string image;
  catalog::Suggestion suggestion;
};

struct Returned {
  std::vector<catalog::Offer> back;  // offers that are open again
  std::vector<catalog::Offer>
      not_back;  // offers that the withdrawal ended, and that stay ended
};

// By the name as it was typed; kNotFound has the nearest.
base::Outcome<catalog::Image> find_image(const repository::Repository& repository,
                                         const std::string& typed);

// Names are as typed. Thread-safe; the repository must outlive it.
class Images {
 public:
  Images(repository::Repository& repository, Caller caller)
      : repository_(repository), caller_(std::move(caller)) {}

  base::Outcome<std::vector<catalog::FactChange>> edit(
      const std::string& image, const std::map<std::string, std::string>& facts);

  // Facts that images lack, or have as guesses only, and that these recognisers read in
  // their names; by image. `fill`: sets them.
  base::Outcome<std::vector<Recognised>> recognise_all(
      const std::vector<text::Recogniser>& recognisers, bool fill);

  // Ends its offers; devices that ask are told `why`.
  base::Outcome<std::vector<catalog::Offer>> withdraw(const std::string& image,
                                                      const std::string& why);
  // The offers that the withdrawal ended open again only on request.
  base::Outcome<Returned> take_back_withdrawal(const std::string& image,
                                               bool with_offers);
  // For good, with its names, offers and documents, and its bytes if nothing else needs
  // them. kDenied: it is on offer, a part of a kit, or a device has sent the same bytes.
  base::Outcome<void> remove(const std::string& image);

  base::Outcome<Vouched> vouch(const std::string& image,
                               const std::vector<repository::Claim>& claims);
  base::Outcome<catalog::Image> retract(const std::string& image);

  base::Outcome<catalog::Document> attach(const std::string& image,
                                          const std::string& document,
                                          base::ByteView bytes);
  base::Outcome<void> detach(const std::string& image, const std::string& document);

 private:
  repository::Repository& repository_;
  Caller caller_;
};

}  // namespace vantro::desk
