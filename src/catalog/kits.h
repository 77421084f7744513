// Kits: images that belong together, in the order of installation.
#pragma once

#include <cstdint>
#include <string>
#include <utility>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "catalog/image.h"
#include "db/database.h"

namespace vantro::catalog {

struct KitPart {
  Image image;
  std::string remark;
};

struct Kit {
  std::int64_t id = 0;
  std::string name;
  std::string remarks;
  base::WallTime made_at = 0;
  std::vector<KitPart> parts;  // in their order
};

// In the change log, with the kit's name.
inline constexpr const char* kKitChanged = "kit";

class Kits {
 public:
  explicit Kits(db::Database& database) : database_(database) {}

  // kExists if the name is taken; kInvalid with fewer than two parts, or an image twice.
  static base::Outcome<void> add(db::Transaction& transaction, Kit kit);
  // Gives the kit of that name these remarks and parts. kNotFound has the nearest name;
  // kInvalid as add().
  static base::Outcome<void> change(db::Transaction& transaction, const Kit& kit);
  // kNotFound has the nearest name. The images stay.
  static base::Outcome<void> remove(db::Transaction& transaction,
                                    const std::string& name);

  base::Outcome<std::vector<Kit>> all() const;
  base::Outcome<Kit> find(const std::string& name) const;
  // Kits that hold the image with these bytes.
  static std::vector<Kit> with_content(db::Transaction& transaction,
                                       const std::string& sha256);
  base::Outcome<std::vector<Kit>> with_content(const std::string& sha256) const;

 private:
  db::Database& database_;
};

}  // namespace vantro::catalog
