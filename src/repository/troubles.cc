#include "repository/troubles.h"

#include <utility>

namespace vantro::repository {

void Troubles::set(const std::string& of, std::vector<std::string> sentences) {
  const base::Lock lock(mutex_);
  if (sentences.empty()) {
    sentences_.erase(of);
  } else {
    sentences_[of] = std::move(sentences);
  }
}

std::vector<std::string> Troubles::all() const {
  const base::Lock lock(mutex_);
  std::vector<std::string> all;
  for (const auto& [of, sentences] : sentences_) {
    all.insert(all.end(), sentences.begin(), sentences.end());
  }
  return all;
}

}  // namespace vantro::repository
