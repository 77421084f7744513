// Rows of the ledger that the database does not take, in a file beside it: so a stop
// loses none of them, and memory holds only so many.
//
// One row a line, its fields separated by tabs; a tab, an end of line and a backslash in
// a field are escaped. What was not written whole (a power cut) ends at the last whole
// line.
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
  // More bytes than this are not kept.
  static constexpr std::uint64_t kMost = std::uint64_t{1} << 30;

  // Empty: there is none, and nothing is kept.
  explicit WaitingFile(std::string path);

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
  std::uint64_t rows_ = 0;
};

}  // namespace vantro::ledger
