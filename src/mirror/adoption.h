// A mirror's own side: the records that headquarters told, which of them are rows of its
// tables already, and which contents it lacks.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "db/database.h"
#include "mirror/exchange.h"
#include "mirror/record.h"
#include "mirror/source.h"
#include "repository/published.h"
#include "repository/repository.h"

namespace vantro::mirror {

// What headquarters said last, and when.
struct Standing {
  std::string of;   // headquarters' address
  std::string tag;  // empty: nothing yet
  std::int64_t sequence = 0;
  base::WallTime as_of = 0;     // by headquarters' clock
  base::WallTime heard_at = 0;  // by this machine's
};

// A name that headquarters offers, and whose content is not here. Immutable.
struct Awaited {
  std::string name;
  std::string sha256;
  std::uint64_t size = 0;
  std::optional<base::Network> network;  // it is offered to this one; none: to all
  std::string withdrawn;                 // why; empty: it was not
  bool wanted = false;                   // it will be fetched
};
using AwaitedNames = std::multimap<std::string, Awaited>;  // by folded name

// Thread-safe; the repository must outlive it.
class Adoption {
 public:
  explicit Adoption(repository::Repository& repository) : repository_(repository) {
    awaited_.set(std::make_shared<const AwaitedNames>());
  }

  // Reads what was told before. kExists: the state has images, devices or accounts of its
  // own, or was a mirror of another headquarters.
  base::Outcome<void> open(const std::string& headquarters);

  // Writes the records down, and the rows that they stand for, in one transaction.
  // kMismatch: they are not changes to what is here, or do not come to what headquarters
  // has; then the mirror asks for all of them. Returns whether anything changed.
  base::Outcome<bool> take(const News& news);

  // In the transaction that files a content: the rows that waited for it.
  base::Outcome<void> complete(db::Transaction& transaction, const std::string& sha256,
                               std::uint64_t size);
  // After it.
  base::Outcome<void> refresh();

  // Wanted and not here, or damaged here.
  base::Outcome<std::vector<Wanted>> lacking() const;
  // Contents here with a platform in common, the newest first, at most `most`.
  base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>> akin(
      const Wanted& wanted, std::size_t most) const;
  base::Outcome<std::uint64_t> held() const;

  // Removes images that headquarters has not named for so long. Returns how many.
  base::Outcome<std::size_t> sweep(base::WallTime older_than);

  Standing standing() const;
  // Never null.
  std::shared_ptr<const AwaitedNames> awaited() const { return awaited_.get(); }

 private:
  base::Outcome<void> write_rows(db::Transaction& transaction, base::WallTime now);
  void erase_rows(db::Transaction& transaction, std::vector<Key> keys);
  // An image of that name that headquarters has removed gives it up.
  void free_name(db::Transaction& transaction, const Record& image);

  repository::Repository& repository_;
  mutable base::Mutex mutex_;
  Standing standing_ VANTRO_GUARDED_BY(mutex_);
  Outline outline_ VANTRO_GUARDED_BY(mutex_);
  repository::Published<AwaitedNames> awaited_;
};

}  // namespace vantro::mirror
