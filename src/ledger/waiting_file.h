// Rows of the ledger that the database does not accept, in a file beside it: so a stop
// loses none of them, and memory holds a limited number.
//
// The first line is an id of this file: the database notes under it how many rows it has
// taken, so that none is written twice. Then one row a line, its fields separated by
// tabs; a tab, an end of line and a backslash in a field are escaped. After an incomplete
// write (a power cut) the last complete line is the end.
#pragma once

#include <cstdint>
#include <functional>
#include <span>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "ledger/entry.h"

namespace vantro::ledger {

// Not thread-safe.
class WaitingFile {
 public:
  // The file's limit, in bytes.
  static constexpr std::uint64_t kMost = std::uint64_t{1} << 30;

  // Empty: there is none, and nothing is stored.
  explicit WaitingFile(std::string path);

  // Random; the same as long as the file is there. Empty: there is none, or it is of an
  // earlier version.
  const std::string& id() const { return id_; }
  // Rows in it.
  std::uint64_t rows() const { return rows_; }
  // On disk when it returns true.
  bool append(std::span<const Entry> entries);
  // In the order in which they were appended, in pieces of at most so many; until one is
  // refused. The file stays.
  base::Outcome<void> each(
      std::size_t most,
      const std::function<base::Outcome<void>(const std::vector<Entry>&)>& take) const;
  void remove();

 private:
  const std::string path_;
  std::string id_;
  std::uint64_t rows_ = 0;
};

}  // namespace vantro::ledger
