// What "vantro" exits with. These numbers are in --help and do not change.
#pragma once

#include <string>

#include "api/shapes.h"

namespace vantro::client {

enum class ExitCode {
  kDone = 0,
  kRefused = 1,   // the server refused it, or failed at it
  kUsage = 2,     // the command line, or what it asks for, makes no sense
  kNoServer = 3,  // no vantrod answers
  kToken = 4,     // the token or the certificate is missing or wrong
  kNotFound = 5,  // there is no such image, backup ...
  kChecksum = 6,  // a checksum differs
  kFile = 7,      // a file on this side can't be read or written
  kOverdue = 8,   // backups are overdue
};

// Why a command did not do what it should.
struct Failure {
  ExitCode code;
  std::string sentence;
  api::Problem problem = {};  // as the server told it, if it did
};

}  // namespace vantro::client
