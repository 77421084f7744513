// Stored texts, whole in memory: configurations only, which have a size limit.
#pragma once

#include <string>

#include "backup/revision.h"
#include "base/outcome.h"

namespace vantro::repository {

struct Repository;

// From the file's beginning, at most `most` bytes.
base::Outcome<std::string> read_for_comparing(int file, std::uint64_t most);

// kInvalid: it is not text, or larger than a configuration may be. kNotFound: it is no
// longer stored. Else as for opening and reading it.
base::Outcome<std::string> read_stored_text(Repository& repository,
                                            const backup::Revision& revision);

}  // namespace vantro::repository
