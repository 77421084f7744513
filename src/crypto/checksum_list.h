// Checksum lists in the forms of makers and standard tools: GNU ("HEX  NAME",
// "HEX *NAME", names with a backslash escaped) and BSD ("SHA256 (NAME) = HEX"), mixed,
// with comments (#, ;), empty lines, CRLF and a byte-order mark.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"
#include "crypto/digests.h"

namespace vantro::crypto {

struct ListedChecksum {
  std::string name;  // as in the list, perhaps with folders; empty: a bare checksum
  Expected expected;
  std::size_t line = 0;  // from 1
};

struct ChecksumList {
  std::vector<ListedChecksum> checksums;
  std::size_t ignored = 0;  // lines in none of the forms

  // Those for the file: of that name, without regard to letter case and folders; and if
  // the list is a single bare checksum, that one.
  std::vector<ListedChecksum> of(std::string_view file) const;
};

// kInvalid if no line is a checksum; kTooLarge over 16 MiB.
base::Outcome<ChecksumList> parse_checksum_list(std::string_view text);

// One line of a list in GNU form, with its end.
std::string checksum_line(std::string_view hex, std::string_view name);

}  // namespace vantro::crypto
