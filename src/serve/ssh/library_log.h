// What libssh tells in its log and nowhere else. The log is the thread's: an object hears
// the thread that it was made on, which may have one at a time and must end it, too.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

namespace vantro::serve::ssh {

class LibraryLog {
 public:
  enum class Detail {
    kAlgorithms,  // those that were agreed on
    kPackets,     // and the size of each packet that arrives
    kSignatures   // and the type of signature that a client logs in with
  };

  explicit LibraryLog(Detail detail);
  ~LibraryLog();
  LibraryLog(const LibraryLog&) = delete;
  LibraryLog& operator=(const LibraryLog&) = delete;

  void listen_for(Detail detail);
  // Names of algorithms and signatures, in the order in which they were heard.
  const std::vector<std::string>& words() const { return words_; }
  // Bytes in the payload of the packet that is being handled, its type included (RFC
  // 4253, section 6); 0 before the first. Needs kPackets.
  std::size_t payload() const { return payload_; }

 private:
  static void hear(int level, const char* function, const char* text, void* user);
  void hear(const char* text);

  std::vector<std::string> words_;
  std::size_t payload_ = 0;
};

}  // namespace vantro::serve::ssh
