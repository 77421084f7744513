// The tree of names that is the same on every protocol: what a name means.
//
//   NAME                       an offer
//   hello, hello-1M, hello-64M the canary (gate/canary.h)
//   NAME.sha256, .sha512, .md5 its checksum, as a list of one line
//   backups/NAME               the asker's own newest backup under that name
//   backups/revision-N/NAME    an older one
//   intake/NAME                (writing) an image for the catalogue
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/clock.h"
#include "crypto/digests.h"
#include "repository/reserved_names.h"

namespace vantro::gate {

using repository::kBackupsFolder;
using repository::kIntakeFolder;

// The meaning of a name, for one asker.
struct Found {
  std::string name;
  std::uint64_t size = 0;
  crypto::Digests digests;
  base::WallTime since = 0;         // since when the name has stood for these bytes
  std::optional<std::string> text;  // made for the asker; nothing: a file of the vault
  bool backup = false;
  bool canary = false;
  std::string caution =
      {};  // a warning that it is for another platform than the asker's; or empty
  base::WallTime read_at = 0;  // when its SHA-256 was last verified
  std::int64_t rescue = 0;     // the rescue session that it belongs to; 0: none
};

// The part of a file that is sent.
struct Part {
  std::uint64_t bytes = 0;
  std::string what;  // "bytes 100-199 of 1000"
};

// One line of a folder: a folder in it, or a file.
struct Listed {
  std::string name;  // its last part; a folder's ends in "/"
  std::uint64_t size = 0;
  std::string sha256;  // empty for a folder
  base::WallTime since = 0;
};

struct Listing {
  std::string folder;  // without slashes at its ends; "" for the top
  std::vector<Listed> entries;
};

// "NAME.sha256" and the like: the file whose checksum is wanted.
struct ChecksumName {
  std::string name;
  crypto::Algorithm algorithm;
};
std::optional<ChecksumName> checksum_name(std::string_view name);

// "backups/..." without "backups/": revision and name.
struct BackupName {
  std::string name;
  std::optional<std::int64_t> revision;
};
BackupName backup_name(std::string_view rest);
// The reverse: the name for reading a revision back.
std::string backup_path(const std::string& name, std::int64_t revision);

}  // namespace vantro::gate
