// The real vantrod as the benches start it, and how they tell what they measured.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "tests/end_to_end/process.h"

namespace vantro::bench {

inline constexpr double kGiB = 1024.0 * 1024 * 1024;
inline constexpr double kMiB = 1024.0 * 1024;

double median(std::vector<double> values);

// In a state folder of its own, with one image.
class RealServer {
 public:
  static constexpr const char* kImage = "bench.img";

  // `settings` in TOML; `size` of the image in bytes; `prepare` is given the path of the
  // state folder before the server makes or opens it.
  RealServer(const std::string& settings, std::size_t size,
             const std::function<void(const std::string&)>& prepare = {});
  // The same where what is prepared decides about the settings, which it returns.
  RealServer(const std::function<std::string(const std::string&)>& prepare,
             std::size_t size);
  ~RealServer();
  RealServer(const RealServer&) = delete;
  RealServer& operator=(const RealServer&) = delete;

  std::uint16_t tftp_port() const { return tftp_port_; }
  std::uint16_t ftp_port() const { return ftp_port_; }
  std::uint16_t http_port() const { return http_port_; }
  // REQUIRES, of both: the settings have it listen.
  std::uint16_t https_port() const {
    return number_behind("HTTPS listens on 127.0.0.1:");
  }
  std::uint16_t ssh_port() const {
    return number_behind("SSH (SCP and SFTP) listens on 127.0.0.1:");
  }
  std::string folder() const { return folder_; }
  // Where its people call it.
  std::string socket() const { return folder_ + "/management.sock"; }
  // The image's bytes as a file.
  std::string image() const { return folder_ + "/" + kImage; }
  // Takes one more in, and waits until all its digests are computed.
  void add(const std::string& file) const;
  // From starting the program until it said that it is ready.
  double start_seconds() const { return start_seconds_; }
  // Its client. Throws std::runtime_error if that fails; `codes` are those that do not
  // count as failed, beside 0.
  void vantro(std::vector<std::string> arguments, const std::string& input = "",
              const std::vector<int>& codes = {}) const;
  // Seconds of processor time so far, of all its threads.
  double cpu() const;
  // Returns when it has done nothing for longer than its pause between two looks for
  // work; the seconds until then.
  double settle() const;
  // Bytes that are in memory and its own.
  double memory() const;
  // The most bytes that were in memory at once, the program's own among them, since the
  // start or since the last forget_peak().
  double peak_memory() const;
  void forget_peak() const;

 private:
  static std::string read(const std::string& file);
  double kilobytes(const std::string& field) const;
  std::string text(const char* file) const { return read(folder_ + file); }
  std::uint16_t number_behind(const std::string& words) const;

  std::string folder_;
  double start_seconds_ = 0;
  std::unique_ptr<end_to_end::Process> server_;
  std::uint16_t tftp_port_ = 0;
  std::uint16_t ftp_port_ = 0;
  std::uint16_t http_port_ = 0;
};

class Report {
 public:
  explicit Report(bool markdown);
  void line(const std::string& what, const std::string& limit, const std::string& ours,
            const std::string& ratio) const;

 private:
  bool markdown_;
};

}  // namespace vantro::bench
