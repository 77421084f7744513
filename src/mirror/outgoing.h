// A mirror's side of what goes up to headquarters: the rows of its ledger in their order,
// and the bytes of the backups that they are about.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "ledger/entry.h"
#include "repository/repository.h"

namespace vantro::mirror {

// Thread-safe; the repository must outlive it.
class Outgoing {
 public:
  // Of a thin link's request.
  static constexpr std::size_t kMostRows = 200;
  static constexpr std::size_t kMostPiece = 256 << 10;

  explicit Outgoing(repository::Repository& repository) : repository_(repository) {}

  // The next rows that headquarters does not have.
  base::Outcome<std::vector<ledger::Entry>> rows();
  base::Outcome<std::uint64_t> waiting() const;
  // Headquarters has everything up to this row.
  base::Outcome<void> sent(std::int64_t upto);
  // A piece of the backup that the row is about, in plain; empty: that was all. kCorrupt:
  // it is missing.
  base::Outcome<std::string> piece(const ledger::Entry& row, std::uint64_t from) const;

 private:
  base::Outcome<std::int64_t> upto() const;

  repository::Repository& repository_;
};

}  // namespace vantro::mirror
