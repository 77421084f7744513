// The list of a snapshot's files, in the form of `sha256sum`: "HEX  NAME" by line.
#pragma once

#include <map>
#include <optional>
#include <string>

#include "base/outcome.h"

namespace vantro::upkeep {

inline constexpr const char* kListName = "SHA256SUMS";

// SHA-256 by name.
using SnapshotList = std::map<std::string, std::string>;

std::string text_of(const SnapshotList& list);
// kCorrupt: a line is malformed, or its name leads out of the snapshot.
base::Outcome<SnapshotList> parse_list(const std::string& text);
// Nothing: there is no such file, or it is malformed.
std::optional<SnapshotList> read_list(const std::string& file);

}  // namespace vantro::upkeep
