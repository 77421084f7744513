// What the machine can do, for the uploads' benches; and how rates are told.
#pragma once

#include <cstddef>
#include <string>

namespace vantro::bench {

// SHA-256 alone, on one thread; bytes per second.
double sha256_limit(std::size_t bytes);
// Written and synced; bytes per second. Throws std::runtime_error on a full disk.
double disk_limit(const std::string& folder, std::size_t bytes);

std::string rate_text(double bytes_per_second);
std::string ratio_text(double ratio);

}  // namespace vantro::bench
