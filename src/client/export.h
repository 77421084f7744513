// Images for a server that no network reaches: a folder or a tar archive with the
// images, their facts, and a checksum list that standard tools check.
//
//   contents.json      all facts (docs/guide/images.md describes it)
//   images/NAME        the bytes
//   documents/IMAGE/NAME
//   SHA256SUMS         of all of them: sha256sum -c SHA256SUMS
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// export, import
void export_commands(const Command& top);

}  // namespace vantro::client
