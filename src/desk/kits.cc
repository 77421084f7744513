#include "desk/kits.h"

#include <fmt/format.h>

#include "base/visible_name.h"
#include "desk/images.h"
#include "repository/change.h"

namespace vantro::desk {

using base::Kind;
using repository::Change;

namespace {

std::string names_of(const catalog::Kit& kit) {
  std::vector<std::string> names;
  for (const auto& part : kit.parts) names.push_back("'" + part.image.name + "'");
  return fmt::format("{}", fmt::join(names, ", "));
}

}  // namespace

base::Outcome<catalog::Kit> Kits::kit_of(const std::string& name,
                                         const std::string& remarks,
                                         const std::vector<std::string>& images,
                                         const std::vector<std::string>& part_remarks) {
  catalog::Kit kit;
  kit.name = name;
  kit.remarks = remarks;
  kit.made_at = repository_.clock.wall();
  for (std::size_t i = 0; i < images.size(); ++i) {
    auto image = find_image(repository_, images[i]);
    if (!image) return base::refuse(image.error());
    kit.parts.push_back(
        {std::move(*image), i < part_remarks.size() ? part_remarks[i] : ""});
  }
  return kit;
}

base::Outcome<catalog::Kit> Kits::add(const std::string& name, const std::string& remarks,
                                      const std::vector<std::string>& images,
                                      const std::vector<std::string>& part_remarks) {
  if (name.empty() || name.size() > 100 || base::printable(name) != name) {
    return base::refuse(Kind::kInvalid, "a kit's name is one line of 1 to 100 bytes");
  }
  const auto kit = kit_of(name, remarks, images, part_remarks);
  if (!kit) return kit;
  auto added =
      repository::change(repository_, caller_.by(),
                         [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
                           if (auto done = catalog::Kits::add(t, *kit); !done)
                             return done;
                           change.record(t, "kit-add", name, "", names_of(*kit));
                           return {};
                         });
  if (!added) return base::refuse(added.error());
  return repository_.kits.find(name);
}

base::Outcome<catalog::Kit> Kits::change(const std::string& name,
                                         const std::string& remarks,
                                         const std::vector<std::string>& images,
                                         const std::vector<std::string>& part_remarks) {
  const auto before = repository_.kits.find(name);
  if (!before) return before;
  const auto kit = kit_of(name, remarks, images, part_remarks);
  if (!kit) return kit;
  auto changed = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        if (auto done = catalog::Kits::change(t, *kit); !done) return done;
        change.record(t, "kit-change", name, "",
                      fmt::format("{} -> {}", names_of(*before), names_of(*kit)));
        return {};
      });
  if (!changed) return base::refuse(changed.error());
  return repository_.kits.find(name);
}

base::Outcome<void> Kits::remove(const std::string& name) {
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        if (auto done = catalog::Kits::remove(t, name); !done) return done;
        change.record(t, "kit-remove", name, "", "");
        return {};
      });
}

}  // namespace vantro::desk
