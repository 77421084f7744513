// What SCP costs at least over libssh: in a child process, a server that lets everybody
// in, hands out zeros from memory, and drops what it gets. It knows no names, no limits
// and no records.
#pragma once

#include <cstdint>
#include <string>
#include <sys/types.h>

namespace vantro::bench {

class BareSsh {
 public:
  // `host_key`: a private key's file. `size`: of whatever is asked for, in bytes. Throws
  // std::runtime_error if it can't listen.
  BareSsh(const std::string& host_key, std::uint64_t size);
  ~BareSsh();
  BareSsh(const BareSsh&) = delete;
  BareSsh& operator=(const BareSsh&) = delete;
  std::uint16_t port() const { return port_; }

 private:
  pid_t child_ = 0;
  std::uint16_t port_ = 0;
};

}  // namespace vantro::bench
