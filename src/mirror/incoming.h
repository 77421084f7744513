// Headquarters' side of what mirrors send up: the rows of their ledgers, and the backups
// that their devices sent; in order, each once.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/bytes.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "gate/gate.h"
#include "ledger/entry.h"
#include "repository/repository.h"
#include "store/arrival.h"

namespace vantro::mirror {

// Thread-safe; the others must outlive it.
class Incoming {
 public:
  Incoming(repository::Repository& repository, gate::Gate& gate)
      : repository_(repository), gate_(gate) {}

  struct Taken {
    std::int64_t upto = 0;  // the last row that is recorded, by the mirror's numbers
    // The content that the next row is about, and that is not here; empty: none.
    std::string wants;
    std::uint64_t have = 0;  // bytes of it
  };
  // In the order of their numbers; those that are recorded already are passed over. A
  // complete backup with a SHA-256 is filed with its row, so its bytes must be here
  // first.
  base::Outcome<Taken> rows(const std::string& mirror,
                            const std::vector<ledger::Entry>& rows);
  // A piece of a backup. Returns how much of it is here. kMismatch: it begins elsewhere;
  // kInvalid: it is not a part of `size` bytes.
  // What a mirror has begun is lost when this program ends, and sent again.
  base::Outcome<std::uint64_t> piece(const std::string& mirror, const std::string& sha256,
                                     std::uint64_t size, std::uint64_t from,
                                     base::ByteView bytes);

 private:
  // What one mirror is sending: one call of it after the other.
  struct Sender {
    base::Mutex mutex;
    std::string sha256 VANTRO_GUARDED_BY(mutex);
    std::optional<store::Arrival> arrival VANTRO_GUARDED_BY(mutex);
  };

  std::shared_ptr<Sender> sender(const std::string& mirror);
  base::Outcome<std::int64_t> upto(const std::string& mirror) const;
  base::Outcome<void> record(const std::string& mirror, std::vector<ledger::Entry> rows,
                             std::int64_t upto);
  // False: its bytes are not here.
  base::Outcome<bool> file(const std::string& mirror, const ledger::Entry& row,
                           Sender& sender) VANTRO_REQUIRES(sender.mutex);

  repository::Repository& repository_;
  gate::Gate& gate_;
  base::Mutex mutex_;
  std::map<std::string, std::shared_ptr<Sender>> senders_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::mirror
