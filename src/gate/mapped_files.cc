#include "gate/mapped_files.h"

#include <sys/stat.h>

namespace vantro::gate {

std::shared_ptr<const base::MappedFile> MappedFiles::of(int file, std::uint64_t size) {
  struct stat about {};
  if (::fstat(file, &about) != 0) return nullptr;
  const base::Lock lock(mutex_);
  if (files_.size() >= clear_at_) {
    std::erase_if(files_, [](const auto& one) { return one.second.expired(); });
    clear_at_ = 2 * files_.size() + 16;
  }
  auto& known = files_[{about.st_dev, about.st_ino}];
  if (auto held = known.lock()) return held;
  auto mapped = std::make_shared<const base::MappedFile>(file, size);
  known = mapped;
  return mapped;
}

}  // namespace vantro::gate
