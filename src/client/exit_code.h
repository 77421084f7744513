// What "vantro" exits with. These numbers are in --help and do not change.
#pragma once

#include <string>

#include "api/shapes.h"

namespace vantro::client {

enum class ExitCode {
  kDone = 0,
  kRefused = 1,   // the server refused it, or failed at it
  kUsage = 2,     // the command line, or the request, makes no sense
  kNoServer = 3,  // no vantrod answers
  kToken = 4,     // the token or the certificate is missing or wrong
  kNotFound = 5,  // there is no such image, backup ...
  kChecksum = 6,  // a checksum differs
  kFile = 7,      // a file of this machine cannot be read or written
  kOverdue = 8,   // backups are overdue
};

// Why a command failed.
struct Failure {
  ExitCode code;
  std::string sentence;
  api::Problem problem = {};  // from the server, if it gave one
};

}  // namespace vantro::client
