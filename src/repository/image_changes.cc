#include "repository/image_changes.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "repository/repository.h"

namespace vantro::repository {

base::Outcome<std::vector<catalog::Vouch>> vouch(db::Transaction& t, Change& change,
                                                 catalog::Image& image,
                                                 const std::vector<Claim>& claims) {
  std::vector<catalog::Vouch> vouches;
  for (const auto& claim : claims) {
    catalog::Vouch wanted;
    wanted.at = change.now();
    wanted.who = change.by();
    wanted.source = claim.source;
    wanted.expected = claim.expected;
    wanted.signer = claim.signer;
    auto added = catalog::Vouches::add(t, image, std::move(wanted));
    if (!added) return base::refuse(added.error());
    auto& vouch = *added;
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

namespace {

// The list's name for a file, relative to the list's folder.
std::string beside(const std::string& list_name, const crypto::ListedChecksum& one) {
  // A bare checksum is for the file that the list is named after.
  if (one.name.empty()) return list_name.substr(0, list_name.rfind('.'));
  const auto slash = list_name.rfind('/');
  return slash == std::string::npos ? one.name
                                    : list_name.substr(0, slash + 1) + one.name;
}

}  // namespace

base::Outcome<std::vector<ListedResult>> compare_with_list(
    Repository& repository, const std::string& by, const std::string& source,
    const std::string& list_name, const crypto::ChecksumList& list) {
  std::vector<ListedResult> results;
  for (const auto& one : list.checksums) {
    const auto name = base::visible_name(beside(list_name, one));
    if (!name) continue;
    const auto found = repository.catalog.named(*name);
    if (!found) return base::refuse(found.error());
    auto image = *found;
    if (!image || image->taken_in_by != by) continue;
    const auto known = repository.vouches.of(image->id);
    if (!known) return base::refuse(known.error());
    const bool again = std::any_of(known->begin(), known->end(), [&](const auto& vouch) {
      return !vouch.retracted_at && vouch.source == source &&
             vouch.expected.algorithm == one.expected.algorithm &&
             vouch.expected.hex == one.expected.hex;
    });
    if (again) continue;
    if (auto done = repository.missing_digests.complete(*image, {one.expected}); !done) {
      return base::refuse(done.error());
    }
    using Vouched = base::Outcome<std::vector<catalog::Vouch>>;
    const auto vouched =
        change(repository, by, [&](db::Transaction& t, Change& change) -> Vouched {
          auto now = catalog::Catalog::find(t, image->name);
          if (!now) return base::refuse(now.error());
          return vouch(t, change, *now, {{one.expected, source, ""}});
        });
    if (!vouched) return base::refuse(vouched.error());
    for (const auto& vouch : *vouched) {
      results.push_back({*name, one.expected.algorithm, vouch.agrees});
    }
  }
  return results;
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
