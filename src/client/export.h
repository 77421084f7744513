// Carrying images to a server that no network reaches: a folder or a tar archive with the
// images, what is known of them, and a checksum list that standard tools check.
//
//   manifest.json      all that is known (docs/catalogue.md describes it)
//   images/NAME        the bytes
//   documents/IMAGE/NAME
//   SHA256SUMS         of all of them: sha256sum -c SHA256SUMS
#pragma once

#include <string>
#include <vector>

#include "client/answers.h"

namespace vantro::client {

struct ExportOptions {
  std::string target;               // a folder that is not there or empty; or NAME.tar
  std::vector<std::string> images;  // empty: all that are not withdrawn
};
Done export_images(const Context& context, const ExportOptions& options);

struct ImportOptions {
  std::string source;
  bool hold = false;  // put nothing on offer
};
// Every file is held against its checksum; what differs is not taken in, the rest is.
// Then it fails with kChecksum.
Done import_images(const Context& context, const ImportOptions& options);

}  // namespace vantro::client
