// The names of all images at one moment, in memory, to find images by a part of a name:
// no index of the database answers that, and reading a million names there takes a
// second. Immutable: a change makes a new one, which shares everything unchanged with the
// old one.
#pragma once

#include <cstddef>
#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "base/shared_map.h"
#include "db/database.h"

namespace vantro::catalog {

// The images of which a name contains a text, in any letter case.
struct NamesFound {
  std::string part;  // in lower case
  // Their ids, in order, once for each of their platforms ("": an image without one).
  std::map<std::string, std::vector<std::int64_t>> by_platform;
};

class ImageNames {
 public:
  // Statements may throw, as db::Transaction's.
  static ImageNames read(db::Transaction& transaction);
  // After the rows of the change log: reads the changed images, and no others.
  ImageNames after(db::Transaction& transaction,
                   const std::vector<db::Change>& changes) const;

  // An empty text is a part of each name. About 10 ms for a rare part of a million names.
  NamesFound containing(const std::string& text) const;

 private:
  ImageNames() = default;

  // What one image is found by.
  struct One {
    std::vector<std::string> names;  // in lower case
    std::vector<std::string> platforms;
  };
  // Images with neighbouring ids. Their names lie together, as a search reads all of
  // them.
  struct Block;
  class BlockMaker;
  struct Platforms;
  using Changed = std::map<std::int64_t, One>;  // by id; without a name: it is gone

  static Changed look_up(db::Transaction& transaction, std::int64_t first,
                         std::int64_t last);
  void learn_platforms(const Changed& changed);
  void replace(std::int64_t number, const Changed& changed);

  std::shared_ptr<const Platforms> platforms_;
  base::SharedMap<std::int64_t, std::shared_ptr<const Block>> blocks_;
};

}  // namespace vantro::catalog
