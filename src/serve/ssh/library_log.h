// Facts that libssh writes to its log and nowhere else. The log is the thread's: an
// object hears the thread that it was made on, which may have one at a time and must end
// it, too.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

namespace vantro::serve::ssh {

class LibraryLog {
 public:
  enum class Detail {
    kAlgorithms,  // the agreed ones
    kPackets,     // and the size of each packet that arrives
    kSignatures   // and the type of signature that a client logs in with
  };

  explicit LibraryLog(Detail detail);
  ~LibraryLog();
  LibraryLog(const LibraryLog&) = delete;
  LibraryLog& operator=(const LibraryLog&) = delete;

  void listen_for(Detail detail);
  // Names of algorithms and signatures, in the order of their appearance.
  const std::vector<std::string>& words() const { return words_; }
  // Bytes in the payload of the current packet, its type included (RFC 4253, section 6);
  // 0 before the first. Needs kPackets.
  std::size_t payload() const { return payload_; }

 private:
  static void hear(int level, const char* function, const char* text, void* user);
  void hear(const char* text);

  std::vector<std::string> words_;
  std::size_t payload_ = 0;
};

}  // namespace vantro::serve::ssh
