#include "net/file_window.h"

#include <algorithm>

namespace vantro::net {
namespace {

// Bytes checked at a time.
constexpr std::uint64_t kWindow = 1024 * 1024;

}  // namespace

FileWindow::FileWindow(std::shared_ptr<const void> open, int file, std::uint64_t size)
    : open_(std::move(open)), file_(file), pages_(file, size) {}

std::uint64_t FileWindow::ready(std::uint64_t offset, std::uint64_t count) {
  if (offset < from_ || offset >= until_) {
    const auto window = std::min(kWindow, count);
    if (!pages_.in_memory(offset, window)) return 0;
    from_ = offset;
    until_ = offset + window;
  }
  return std::min(count, until_ - offset);
}

void FileWindow::bring(WorkPool& disk, std::uint64_t offset, std::uint64_t count,
                       std::function<void()> then) {
  const auto window = std::min(kWindow, count);
  from_ = offset;
  until_ = offset + window;
  disk.post([open = open_, file = file_, offset, window, then = std::move(then)] {
    base::bring_into_memory(file, offset, window);
    then();
  });
}

}  // namespace vantro::net
