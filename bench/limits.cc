#include "bench/limits.h"

#include <chrono>
#include <fcntl.h>
#include <fmt/format.h>
#include <openssl/evp.h>
#include <stdexcept>
#include <unistd.h>
#include <vector>

#include "bench/real_server.h"

namespace vantro::bench {
namespace {

using Clock = std::chrono::steady_clock;

double since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

}  // namespace

double sha256_limit(std::size_t bytes) {
  const std::vector<unsigned char> piece(1 << 20, 'u');
  const auto begin = Clock::now();
  auto* context = EVP_MD_CTX_new();
  EVP_DigestInit_ex(context, EVP_sha256(), nullptr);
  for (std::size_t done = 0; done < bytes; done += piece.size()) {
    EVP_DigestUpdate(context, piece.data(), piece.size());
  }
  EVP_MD_CTX_free(context);
  return static_cast<double>(bytes) / since(begin);
}

double disk_limit(const std::string& folder, std::size_t bytes) {
  const auto file = folder + "/disk-limit";
  const std::vector<char> piece(1 << 20, 'u');
  const auto begin = Clock::now();
  const int fd = ::open(file.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
  for (std::size_t done = 0; done < bytes; done += piece.size()) {
    if (::write(fd, piece.data(), piece.size()) != static_cast<ssize_t>(piece.size())) {
      throw std::runtime_error("the disk takes no more");
    }
  }
  ::fsync(fd);
  const auto took = since(begin);
  ::close(fd);
  ::unlink(file.c_str());
  return static_cast<double>(bytes) / took;
}

std::string rate_text(double bytes_per_second) {
  return fmt::format("{:.0f} MiB/s", bytes_per_second / kMiB);
}

std::string ratio_text(double ratio) { return fmt::format("{:.2f}", ratio); }

}  // namespace vantro::bench
