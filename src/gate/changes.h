// What people change in the catalogue. Each change and its ledger row, with the old and
// the new value, are one transaction; what devices can fetch is brought up to date after
// it.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "catalog/catalog.h"
#include "catalog/documents.h"
#include "catalog/kits.h"
#include "catalog/offers.h"
#include "catalog/vouches.h"
#include "gate/gate.h"

namespace vantro::gate {

struct OfferMade {
  catalog::Offer offer;
  // Of the same name, to networks that this one shares addresses with: the narrower wins.
  std::vector<catalog::Offer> overlapping;
  std::string held_back;  // why nobody gets it all the same; empty: they do
};

struct Vouched {
  catalog::Image image;
  std::vector<catalog::Vouch> vouches;  // that were added
};

// Names are as typed. Thread-safe; `gate` must outlive it.
class Changes {
 public:
  Changes(Gate& gate, std::string who) : gate_(gate), who_(std::move(who)) {}

  base::Outcome<std::vector<catalog::FactChange>> edit(
      const std::string& image, const std::map<std::string, std::string>& facts);

  // Ends its offers; devices that ask are told `why`.
  base::Outcome<std::vector<catalog::Offer>> withdraw(const std::string& image,
                                                      const std::string& why);
  // Its offers do not come back by themselves.
  base::Outcome<void> take_back_withdrawal(const std::string& image);

  base::Outcome<Vouched> vouch(const std::string& image,
                               const std::vector<Claim>& claims);
  base::Outcome<catalog::Image> retract(const std::string& image);

  // `offer` with name, network, protocols and until; an empty name is the image's.
  base::Outcome<OfferMade> add_offer(const std::string& image, catalog::Offer offer);
  using Network = std::optional<std::optional<base::Network>>;  // as Offers::find()
  base::Outcome<OfferMade> change_offer(const std::string& name, const Network& network,
                                        const catalog::OfferChange& change);
  base::Outcome<catalog::Offer> end_offer(const std::string& name,
                                          const Network& network);

  base::Outcome<catalog::Kit> add_kit(const std::string& name, const std::string& remarks,
                                      const std::vector<std::string>& images,
                                      const std::vector<std::string>& part_remarks);
  base::Outcome<void> remove_kit(const std::string& name);

  base::Outcome<catalog::Document> attach(const std::string& image,
                                          const std::string& document,
                                          base::ByteView bytes);
  base::Outcome<void> detach(const std::string& image, const std::string& document);

 private:
  // The ledger row of a change of this image.
  ledger::Entry entry(const std::string& event, const std::string& name,
                      const std::string& sha256, const std::string& sentence) const;
  OfferMade made(db::Transaction& transaction, catalog::Offer offer) const;
  base::Outcome<catalog::Image> find(const std::string& typed) const;

  Gate& gate_;
  std::string who_;
};

}  // namespace vantro::gate
