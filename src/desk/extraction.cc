#include "desk/extraction.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "crypto/checksum_list.h"
#include "crypto/file_form.h"
#include "desk/images.h"
#include "probe/apart.h"
#include "text/nearest.h"

namespace vantro::desk {
namespace {

using base::Kind;

constexpr std::size_t kLongestList = 1 << 20;
constexpr std::size_t kLongestDocument = 32 << 20;

std::string folder_of(const std::string& path) {
  return path.substr(0, path.size() - base::last_part(path).size());
}

}  // namespace

base::Outcome<Extraction::Opened> Extraction::open(const std::string& typed,
                                                   const std::string& member) const {
  const auto archive = find_image(repository_, typed);
  if (!archive) return base::refuse(archive.error());
  auto members = repository_.catalog.members_of(archive->id);
  if (!members) return base::refuse(members.error());
  if (members->empty()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is not an archive whose members are known",
                                    base::printable(archive->name, 80)));
  }
  const auto found = std::find_if(members->begin(), members->end(), [&](const auto& one) {
    return one.path == member || one.path == "./" + member;
  });
  if (found == members->end()) {
    std::vector<std::string> paths;
    for (const auto& one : *members) paths.push_back(one.path);
    return base::refuse(
        Kind::kNotFound,
        fmt::format("'{}' has no member '{}'; 'vantro image info' lists "
                    "them",
                    base::printable(archive->name, 80), base::printable(member, 80)),
        text::nearest(member, paths).value_or(""));
  }
  auto file = repository_.folder.open_stored(archive->digests.sha256, archive->size);
  if (!file) return base::refuse(file.error());
  return Opened{*archive, std::move(*file), *found, std::move(*members)};
}

base::Outcome<std::string> Extraction::text(const Opened& opened, const std::string& path,
                                            std::size_t most) const {
  std::string all;
  auto taken = probe::take_out_apart(
      gate_.config()->look, opened.file.get(), path,
      [&](base::ByteView bytes) -> base::Outcome<void> {
        all += base::as_text(bytes);
        if (all.size() <= most) return {};
        return base::refuse(Kind::kTooLarge, fmt::format("'{}' is larger than {}",
                                                         base::printable(path, 80),
                                                         base::size_text(most)));
      });
  if (!taken) return base::refuse(taken.error());
  return all;
}

// The checksums for the member in lists beside it, and in the folders above it.
base::Outcome<std::vector<repository::Claim>> Extraction::claims(
    const Opened& opened) const {
  std::vector<repository::Claim> claims;
  for (const auto& one : opened.members) {
    const bool list = one.path != opened.member.path && one.size <= kLongestList &&
                      crypto::form_by_name(one.path) == crypto::FileForm::kChecksumList &&
                      folder_of(opened.member.path).starts_with(folder_of(one.path));
    if (!list) continue;
    const auto content = text(opened, one.path, kLongestList);
    if (!content) return base::refuse(content.error());
    const auto parsed = crypto::parse_checksum_list(*content);
    if (!parsed) continue;
    for (const auto& sum : parsed->of(opened.member.path)) {
      claims.push_back(
          {sum.expected, fmt::format("{} in {}", one.path, opened.archive.name), ""});
    }
  }
  return claims;
}

base::Outcome<gate::Taken> Extraction::image(const std::string& archive,
                                             const std::string& member,
                                             const std::string& name, bool hold) const {
  const auto opened = open(archive, member);
  if (!opened) return base::refuse(opened.error());
  auto wanted = claims(*opened);
  if (!wanted) return base::refuse(wanted.error());
  gate::IntakeOptions options;
  options.name = name.empty() ? std::string(base::last_part(opened->member.path)) : name;
  options.by = caller_.by();
  options.size = opened->member.size;
  options.claims = std::move(*wanted);
  options.facts = {
      {"source", fmt::format("{} in {}", opened->member.path, opened->archive.name)}};
  options.hold = hold;
  auto intake = gate_.open_intake(std::move(options));
  if (!intake) return base::refuse(intake.error());
  auto taken =
      probe::take_out_apart(gate_.config()->look, opened->file.get(), opened->member.path,
                            [&](base::ByteView bytes) { return intake->write(bytes); });
  if (!taken) {
    intake->fail(gate::State::kFailed, taken.error().sentence);
    return base::refuse(taken.error());
  }
  return intake->commit();
}

base::Outcome<catalog::Document> Extraction::document(const std::string& archive,
                                                      const std::string& member,
                                                      const std::string& of_image) const {
  const auto opened = open(archive, member);
  if (!opened) return base::refuse(opened.error());
  const auto bytes = text(*opened, opened->member.path, kLongestDocument);
  if (!bytes) return base::refuse(bytes.error());
  return Images(repository_, caller_)
      .attach(of_image, std::string(base::last_part(opened->member.path)),
              base::as_bytes(*bytes));
}

}  // namespace vantro::desk
