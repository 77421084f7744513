#include "repository/unrecorded.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"

namespace vantro::repository {

void Unrecorded::add(std::vector<UnrecordedFile> files) {
  const base::Lock lock(mutex_);
  for (auto& one : files) files_.insert_or_assign(one.file.name, std::move(one));
}

std::optional<UnrecordedFile> Unrecorded::find(const std::string& name) const {
  const base::Lock lock(mutex_);
  const auto found = files_.find(name);
  if (found == files_.end()) return std::nullopt;
  return found->second;
}

void Unrecorded::forget(const std::string& name) {
  const base::Lock lock(mutex_);
  files_.erase(name);
}

std::vector<UnrecordedFile> Unrecorded::list() const {
  std::vector<UnrecordedFile> result;
  {
    const base::Lock lock(mutex_);
    for (const auto& [name, one] : files_) result.push_back(one);
  }
  std::stable_sort(result.begin(), result.end(), [](const auto& a, const auto& b) {
    return a.file.changed_at < b.file.changed_at;
  });
  return result;
}

std::optional<std::string> Unrecorded::sentence() const {
  const base::Lock lock(mutex_);
  if (files_.empty()) return std::nullopt;
  std::uint64_t bytes = 0;
  base::WallTime newest = 0;
  for (const auto& [name, one] : files_) {
    bytes += one.file.size;
    newest = std::max(newest, one.file.changed_at);
  }
  return fmt::format(
      "{} {} without a record ({}, newest {}); decide with 'vantro unrecorded'",
      files_.size(), files_.size() == 1 ? "file" : "files", base::size_text(bytes),
      base::local_time(newest));
}

}  // namespace vantro::repository
