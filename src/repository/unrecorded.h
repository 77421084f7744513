// Files in the state folder without a record: from a crash between file and record, from
// an older database that was restored, from a folder that was copied together. They stay
// where they are until a person decides.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "store/state_folder.h"

namespace vantro::repository {

struct UnrecordedFile {
  bool partial = false;    // in partial/, else in vault/
  store::StoredFile file;  // as the folder lists it
};

// Thread-safe.
class Unrecorded {
 public:
  void add(std::vector<UnrecordedFile> files);
  // By name: a SHA-256, or a file of partial/. Each exists once.
  std::optional<UnrecordedFile> find(const std::string& name) const;
  // It has a record now, or was removed.
  void forget(const std::string& name);
  // The oldest first.
  std::vector<UnrecordedFile> list() const;
  // The sentence about them; nothing if there are none.
  std::optional<std::string> sentence() const;

 private:
  mutable base::Mutex mutex_;
  std::map<std::string, UnrecordedFile> files_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::repository
