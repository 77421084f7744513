#include "repository/image_changes.h"

#include <fmt/format.h>

namespace vantro::repository {

std::vector<catalog::Vouch> vouch(db::Transaction& t, Change& change,
                                  catalog::Image& image,
                                  const std::vector<Claim>& claims) {
  std::vector<catalog::Vouch> vouches;
  for (const auto& claim : claims) {
    catalog::Vouch vouch;
    vouch.at = change.now();
    vouch.who = change.by();
    vouch.source = claim.source;
    vouch.expected = claim.expected;
    vouch.signer = claim.signer;
    vouch = catalog::Vouches::add(t, image, std::move(vouch));
    change.record(t, vouch.agrees ? "image-vouch" : "image-contradict", image.name,
                  image.digests.sha256,
                  fmt::format("{} {}{}{}", crypto::title(vouch.expected.algorithm),
                              vouch.agrees ? "agrees" : "differs",
                              vouch.source.empty() ? "" : "; from " + vouch.source,
                              vouch.signer.empty() ? "" : "; signed by " + vouch.signer));
    vouches.push_back(std::move(vouch));
  }
  return vouches;
}

base::Outcome<std::vector<catalog::Offer>> withdraw(db::Transaction& t, Change& change,
                                                    const catalog::Image& image,
                                                    const std::string& why) {
  if (auto done = catalog::Catalog::withdraw(t, image, why, change.now()); !done) {
    return base::refuse(done.error());
  }
  auto offers =
      catalog::Offers::end_all_of(t, image.id, catalog::kImageWithdrawn, change.now());
  std::vector<std::string> names;
  for (const auto& offer : offers) names.push_back("'" + offer.name + "'");
  change.record(t, "image-withdraw", image.name, image.digests.sha256,
                names.empty() ? why
                              : fmt::format("{}; no longer on offer: {}", why,
                                            fmt::join(names, ", ")));
  return offers;
}

}  // namespace vantro::repository
