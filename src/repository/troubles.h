// Current problems, as reported by those in charge: of the drop folder, a certificate,
// the ledger. For `status`.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "base/mutex.h"

namespace vantro::repository {

// Thread-safe.
class Troubles {
 public:
  // Replaces the earlier sentences of the same reporter; nothing: all is well again. `of`
  // is a word for the reporter.
  void set(const std::string& of, std::vector<std::string> sentences);
  // In the order of those words.
  std::vector<std::string> all() const;

 private:
  mutable base::Mutex mutex_;
  std::map<std::string, std::vector<std::string>> sentences_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::repository
