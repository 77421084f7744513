#include "gate/mapped_files.h"

#include <sys/stat.h>

namespace vantro::gate {

std::shared_ptr<const SentFile> MappedFiles::share(base::UniqueFd& file,
                                                   std::uint64_t size) {
  struct stat about {};
  if (::fstat(file.get(), &about) != 0) return nullptr;
  const base::Lock lock(mutex_);
  if (files_.size() >= clear_at_) {
    std::erase_if(files_, [](const auto& one) { return one.second.expired(); });
    clear_at_ = 2 * files_.size() + 16;
  }
  auto& known = files_[{about.st_dev, about.st_ino}];
  if (auto held = known.lock()) {
    file.reset();
    return held;
  }
  auto shared = std::make_shared<const SentFile>(std::move(file), size);
  known = shared;
  return shared;
}

}  // namespace vantro::gate
