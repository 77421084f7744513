#include "desk/load.h"

#include <algorithm>
#include <fstream>
#include <iterator>
#include <unistd.h>

namespace vantro::desk {

// proc(5): the second number of /proc/self/statm is resident pages.
std::uint64_t resident_memory() {
  std::ifstream file("/proc/self/statm");
  std::uint64_t all = 0;
  std::uint64_t pages = 0;
  file >> all >> pages;
  return pages * static_cast<std::uint64_t>(::sysconf(_SC_PAGESIZE));
}

void Load::sample() {
  LoadSample next;
  next.at = repository_.clock.wall();
  next.running = gate_.transfers().running();
  next.disk_free = repository_.folder.free_bytes();
  next.memory = resident_memory();
  const auto now = repository_.clock.now();
  const auto totals = gate_.transfers().totals();
  const auto refused = gate_.refused();
  const base::Lock lock(mutex_);
  const auto seconds = std::chrono::duration<double>(now - last_).count();
  // The first sample has no interval before it, so no rates.
  if (!samples_.empty() && seconds > 0) {
    next.out = static_cast<double>(totals.out - totals_.out) / seconds;
    next.in = static_cast<double>(totals.in - totals_.in) / seconds;
    next.refused = refused - refused_;
  }
  totals_ = totals;
  refused_ = refused;
  last_ = now;
  samples_.push_back(next);
  if (samples_.size() > kMost) samples_.pop_front();
}

LoadSample together(std::span<const LoadSample> samples) {
  LoadSample sum = samples.back();
  sum.out = sum.in = 0;
  sum.refused = 0;
  for (const auto& one : samples) {
    sum.running = std::max(sum.running, one.running);
    sum.out += one.out / static_cast<double>(samples.size());
    sum.in += one.in / static_cast<double>(samples.size());
    sum.refused += one.refused;
    sum.disk_free = std::min(sum.disk_free, one.disk_free);
    sum.memory = std::max(sum.memory, one.memory);
  }
  return sum;
}

std::vector<LoadSample> Load::since(base::WallTime from, std::size_t most) const {
  std::vector<LoadSample> all;
  {
    const base::Lock lock(mutex_);
    std::copy_if(samples_.begin(), samples_.end(), std::back_inserter(all),
                 [&](const LoadSample& one) { return one.at >= from; });
  }
  if (most == 0 || all.size() <= most) return all;
  const auto each = (all.size() + most - 1) / most;
  std::vector<LoadSample> fewer;
  for (std::size_t i = 0; i < all.size(); i += each) {
    fewer.push_back(together(std::span(all).subspan(i, std::min(each, all.size() - i))));
  }
  return fewer;
}

}  // namespace vantro::desk
