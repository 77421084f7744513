// A folder that goes with the test.
#pragma once

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <gtest/gtest.h>
#include <sstream>
#include <stdexcept>
#include <string>
#include <unistd.h>

namespace vantro::fakes {

class ScratchFolder {
 public:
  ScratchFolder() {
    std::string pattern = std::filesystem::temp_directory_path() / "vantro-test-XXXXXX";
    if (::mkdtemp(pattern.data()) == nullptr)
      throw std::runtime_error("no scratch folder");
    path_ = pattern;
  }
  ~ScratchFolder() {
    std::error_code ignored;
    std::filesystem::remove_all(path_, ignored);
  }
  ScratchFolder(const ScratchFolder&) = delete;
  ScratchFolder& operator=(const ScratchFolder&) = delete;

  const std::string& path() const { return path_; }
  std::string operator/(const std::string& name) const { return path_ + "/" + name; }

 private:
  std::string path_;
};

inline std::string read_file(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  return text.str();
}

inline void write_file(const std::string& path, const std::string& bytes) {
  std::ofstream(path, std::ios::binary) << bytes;
}

// Bytes without a pattern that a lost or doubled block could hide in.
inline std::string noise(std::size_t count, unsigned seed = 1) {
  std::string bytes(count, '\0');
  std::uint64_t state = seed * 2654435761u + 1;
  for (auto& byte : bytes) {
    state = state * 6364136223846793005u + 1442695040888963407u;
    byte = static_cast<char>(state >> 56);
  }
  return bytes;
}

// For EXPECT_TRUE: says how they differ in one line, and not in megabytes.
inline testing::AssertionResult same_bytes(const std::string& got,
                                           const std::string& wanted) {
  if (got == wanted) return testing::AssertionSuccess();
  const auto differs =
      std::mismatch(got.begin(), got.end(), wanted.begin(), wanted.end());
  return testing::AssertionFailure()
         << got.size() << " bytes instead of " << wanted.size() << ", the first "
         << differs.first - got.begin() << " of them alike";
}

}  // namespace vantro::fakes
