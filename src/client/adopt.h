// Adding a folder of images with everything below it, as people have kept them for years.
#pragma once

#include <string>

#include "client/answers.h"

namespace vantro::client {

struct AdoptOptions {
  std::string folder;
  bool keep_paths = false;  // names with folders, else the files' own
  api::ImageGiven given;    // for each of them: everything but its name
};

// Files that the server has already, with the same bytes, are left alone: so an
// interrupted run resumes when it is started again. Ends with a report of what was not
// added, and why.
Done adopt(const Context& context, const AdoptOptions& options);

}  // namespace vantro::client
