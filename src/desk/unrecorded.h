// What a person decides about files without a record (repository/unrecorded.h): to record
// them again, or to remove them.
#pragma once

#include <string>

#include "base/outcome.h"
#include "desk/caller.h"
#include "repository/repository.h"

namespace vantro::desk {

// Names are SHA-256 values, or names of files in partial/. kNotFound: no file of this
// name lacks a record. Thread-safe; the repository must outlive it.
class Unrecorded {
 public:
  Unrecorded(repository::Repository& repository, Caller caller)
      : repository_(repository), caller_(std::move(caller)) {}

  // Returns the name under which it is recorded. kInvalid: it is a partial upload, which
  // can't be recorded. kCorrupt: its bytes are damaged; it was moved to quarantine/.
  // kBusy: it was replaced while it was read.
  base::Outcome<std::string> keep(const std::string& name);
  // For good.
  base::Outcome<void> remove(const std::string& name);

 private:
  base::Outcome<repository::UnrecordedFile> find(const std::string& name) const;

  repository::Repository& repository_;
  Caller caller_;
};

}  // namespace vantro::desk
