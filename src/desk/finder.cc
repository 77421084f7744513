#include "desk/finder.h"

#include <algorithm>
#include <cctype>
#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "crypto/digests.h"

namespace vantro::desk {
namespace {

constexpr std::size_t kShortestPrefix = 8;
constexpr std::size_t kSha256Digits = 64;

bool is_hexadecimal(const std::string& text) {
  return std::all_of(text.begin(), text.end(),
                     [](unsigned char c) { return std::isxdigit(c) != 0; });
}

Found found(const catalog::Image& image) {
  const auto& facts = image.facts;
  std::string platforms;
  for (const auto& one : facts.platforms) {
    platforms += (platforms.empty() ? "" : ", ") + one;
  }
  return {Found::Kind::kImage, image.name,
          fmt::format("{}{}{}{}", platforms, platforms.empty() ? "" : " · ",
                      facts.version.empty() ? "" : facts.version + " · ",
                      base::size_text(image.size))};
}

}  // namespace

const char* word(Found::Kind kind) {
  switch (kind) {
    case Found::Kind::kImage:
      return "image";
    case Found::Kind::kDevice:
      return "device";
    case Found::Kind::kAddress:
      return "address";
  }
  return "image";
}

base::Outcome<std::vector<Found>> find_anything(const repository::Repository& repository,
                                                const std::string& text,
                                                std::size_t most) {
  std::vector<Found> all;
  const auto folded = base::folded(text);
  // A checksum names exactly one file, so it comes first.
  std::optional<base::Refusal> unclear;
  if (const auto sum = crypto::Expected::parse(text)) {
    const auto image = repository.catalog.with_checksum(*sum);
    if (image && *image) all.push_back(found(**image));
    if (!image) unclear = image.error();
  }
  // The beginning of a SHA-256 may be as long as an MD5 or a SHA-1.
  if (all.empty() && folded.size() >= kShortestPrefix && folded.size() < kSha256Digits &&
      is_hexadecimal(folded)) {
    const auto images = repository.catalog.beginning_with(folded, most);
    if (!images) return base::refuse(images.error());
    for (const auto& one : *images) all.push_back(found(one));
  }
  if (all.empty() && unclear) return base::refuse(*unclear);
  fleet::DeviceFilter devices;
  devices.text = text;
  devices.most = most;
  const auto address = base::Address::parse(text);
  if (const auto* own =
          address ? repository.snapshot()->devices->find(*address) : nullptr) {
    devices.text = own->name;
  }
  const auto listing = repository.devices.list(devices);
  if (!listing) return base::refuse(listing.error());
  for (const auto& one : listing->devices) {
    std::string detail = one.platform;
    if (!one.site.empty()) detail += (detail.empty() ? "" : " · ") + one.site;
    all.push_back({Found::Kind::kDevice, one.name, detail});
  }
  if (address) {
    all.push_back({Found::Kind::kAddress, address->text(), "what happened with it"});
    return all;
  }
  catalog::Filter images;
  images.named = repository.snapshot()->image_names->containing(text);
  images.most = most;
  images.counted = false;
  const auto named = repository.catalog.list(images);
  if (!named) return base::refuse(named.error());
  for (const auto& one : named->images) {
    // An image for two platforms is in the list twice.
    const bool there = std::any_of(all.begin(), all.end(), [&](const Found& other) {
      return other.kind == Found::Kind::kImage && other.name == one.image.name;
    });
    if (!there) all.push_back(found(one.image));
  }
  return all;
}

}  // namespace vantro::desk
