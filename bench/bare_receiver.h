// What an upload costs at least: in a child process, it receives one upload over HTTP
// after the other, computes SHA-256 on a second thread, writes the bytes to a file, syncs
// it, and answers 201. It knows no names, no limits and no records.
#pragma once

#include <cstdint>
#include <string>
#include <sys/types.h>

namespace vantro::bench {

class BareReceiver {
 public:
  // Throws std::runtime_error if it can't listen.
  explicit BareReceiver(const std::string& folder);
  ~BareReceiver();
  BareReceiver(const BareReceiver&) = delete;
  BareReceiver& operator=(const BareReceiver&) = delete;
  std::uint16_t port() const { return port_; }

 private:
  pid_t child_ = 0;
  std::uint16_t port_ = 0;
};

}  // namespace vantro::bench
