// SFTP packets as a client makes and reads them, apart from the code under test.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace vantro::fakes {

inline std::string u32(std::uint32_t value) {
  std::string text;
  for (int shift = 24; shift >= 0; shift -= 8) text += static_cast<char>(value >> shift);
  return text;
}
inline std::string u64(std::uint64_t value) {
  return u32(static_cast<std::uint32_t>(value >> 32)) +
         u32(static_cast<std::uint32_t>(value));
}
inline std::string field(std::string_view text) {
  return u32(static_cast<std::uint32_t>(text.size())) + std::string(text);
}
inline std::string sftp_packet(int type, const std::string& rest) {
  return u32(static_cast<std::uint32_t>(rest.size() + 1)) + static_cast<char>(type) +
         rest;
}

// What a server says, one line for each packet: "STATUS 7 2 no such", "DATA 7 [512]".
class SftpReader {
 public:
  void take(std::string_view bytes) { bytes_ += bytes; }
  // Of the packets that are whole.
  std::string text() {
    std::string lines;
    while (bytes_.size() >= 4 && bytes_.size() - 4 >= number(bytes_)) {
      rest_ = std::string_view(bytes_).substr(4, number(bytes_));
      lines += one() + "\n";
      bytes_.erase(0, 4 + number(bytes_));
    }
    return lines;
  }
  std::string last_data;
  std::vector<std::string> last_names;
  std::uint64_t last_size = 0;

 private:
  static std::uint32_t number(std::string_view text) {
    std::uint32_t value = 0;
    for (int i = 0; i < 4; ++i) value = value << 8 | static_cast<unsigned char>(text[i]);
    return value;
  }
  std::uint32_t next() {
    const auto value = number(rest_);
    rest_.remove_prefix(4);
    return value;
  }
  std::string next_field() {
    const auto size = next();
    const auto text = std::string(rest_.substr(0, size));
    rest_.remove_prefix(size);
    return text;
  }
  void attributes() {
    const auto flags = next();
    if (flags & 1) {
      const std::uint64_t high = next();
      last_size = high << 32 | next();
    }
    if (flags & 2) rest_.remove_prefix(8);
    if (flags & 4) mode_ = next();
    if (flags & 8) rest_.remove_prefix(8);
  }
  std::string one() {
    const auto type = static_cast<unsigned char>(rest_[0]);
    rest_.remove_prefix(1);
    const auto id = std::to_string(next());
    switch (type) {
      case 2: {
        std::string line = "VERSION " + id;
        while (!rest_.empty()) {
          line += " " + next_field();
          next_field();
        }
        return line;
      }
      case 101: {
        const auto code = std::to_string(next());
        return "STATUS " + id + " " + code + " " + next_field();
      }
      case 102:
        return "HANDLE " + id + " " + next_field();
      case 103:
        last_data = next_field();
        return "DATA " + id + " [" + std::to_string(last_data.size()) + "]";
      case 104: {
        auto count = next();
        last_names.clear();
        std::string line = "NAME " + id;
        for (; count > 0; --count) {
          last_names.push_back(next_field());
          next_field();
          attributes();
          line += " " + last_names.back();
        }
        return line;
      }
      case 105:
        attributes();
        return "ATTRS " + id + " " + std::to_string(last_size) +
               (mode_ & 040000 ? " folder" : "");
      case 201:
        return "REPLY " + id + " [" + std::to_string(rest_.size()) + "]";
      default:
        return "TYPE " + std::to_string(type);
    }
  }

  std::string bytes_;
  std::string_view rest_;
  std::uint32_t mode_ = 0;
};

}  // namespace vantro::fakes
