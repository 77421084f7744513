// Release notes and the like that belong to an image. Their bytes are in the vault, and
// stay there when a document is removed.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "db/database.h"

namespace vantro::catalog {

struct Document {
  std::string name;
  std::string sha256;
  std::uint64_t size = 0;
  base::WallTime added_at = 0;
};

class Documents {
 public:
  static constexpr std::uint64_t kLargest = std::uint64_t{32} << 20;

  explicit Documents(db::Database& database) : database_(database) {}

  // kInvalid: not text, Markdown or PDF, by the ending of its name.
  static base::Outcome<void> check_name(const std::string& name);

  // The bytes must be in the vault already. Replaces a document of the same name.
  static void attach(db::Transaction& transaction, std::int64_t image,
                     const Document& document);
  // The result of verifying these bytes: unchanged, or not.
  static void mark_read(db::Transaction& transaction, const std::string& sha256,
                        bool whole);
  // kNotFound has the nearest name.
  static base::Outcome<void> detach(db::Transaction& transaction, std::int64_t image,
                                    const std::string& name, base::WallTime now);

  base::Outcome<std::vector<Document>> of(std::int64_t image) const;
  base::Outcome<Document> find(std::int64_t image, const std::string& name) const;

 private:
  db::Database& database_;
};

}  // namespace vantro::catalog
