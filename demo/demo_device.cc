// A simulated router, switch or firewall: it fetches an image by name and checks what
// arrived, or sends its configuration, from an address of its own.
//
//   vantro-demo-device --name tidegate-rtr --address 127.1.0.1 --server 127.0.0.1:7069
//                      fetch IMAGE [--expect ALGO:HEX] [--to FILE] [--block N] [--rate N]
//   vantro-demo-device ... send FILE --as NAME
//   vantro-demo-device ... --over ftp|http|scp|sftp [--account NAME:PASSWORD]
//                      [--host-key SHA256:... more than once] fetch|send ...
//
// Exit codes: 0 done; 1 the server refused, or the transfer broke off; 2 wrong use; 3
// what arrived is not what was expected.
#include <CLI/CLI.hpp>
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <curl/curl.h>
#include <fmt/format.h>
#include <memory>
#include <string>
#include <string_view>
#include <thread>
#include <vector>

#include "base/base64.h"
#include "base/bytes.h"
#include "base/percent.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "crypto/digests.h"

namespace {

using namespace vantro;

enum ExitCode { kDone = 0, kRefused = 1, kUsage = 2, kDamaged = 3 };

struct Options {
  std::string name;
  std::string address;
  std::string server;
  std::string over = "tftp";  // or "ftp", "http", "scp", "sftp"
  std::string account;        // "NAME:PASSWORD"
  // Of SSH, as somebody has typed them into the device: with any other it does not talk.
  std::vector<std::string> host_keys;
  std::string file;
  std::string as;
  std::string expect;
  std::string to;
  long block = 1428;
  double rate = 0;  // bytes per second of its line; 0: as fast as it goes
};

struct CloseFile {
  void operator()(std::FILE* file) const { std::fclose(file); }
};
using File = std::unique_ptr<std::FILE, CloseFile>;

struct CloseCurl {
  void operator()(CURL* curl) const { curl_easy_cleanup(curl); }
};

class Device {
 public:
  explicit Device(const Options& options) : options_(options), curl_(curl_easy_init()) {
    set(CURLOPT_PROTOCOLS_STR, "tftp,ftp,http,scp,sftp");
    if (!options.account.empty()) set(CURLOPT_USERPWD, options.account.c_str());
    set(CURLOPT_SSH_HOSTKEYFUNCTION, &Device::knows);
    set(CURLOPT_SSH_HOSTKEYDATA, this);
    set(CURLOPT_INTERFACE, ("host!" + options.address).c_str());
    set(CURLOPT_TFTP_BLKSIZE, options.block);
    set(CURLOPT_ERRORBUFFER, error_);
    set(CURLOPT_NOSIGNAL, 1L);
    // A console shows the text of an error packet; libcurl gives it only to this.
    set(CURLOPT_VERBOSE, 1L);
    set(CURLOPT_DEBUGFUNCTION, &Device::overheard);
    set(CURLOPT_DEBUGDATA, this);
  }

  int fetch() {
    say(fmt::format("fetch {} by {} from {}", options_.file, options_.over,
                    options_.server));
    if (!options_.to.empty()) {
      file_.reset(std::fopen(options_.to.c_str(), "wb"));
      if (!file_) return fail(options_.to + " can't be written", kUsage);
    }
    set(CURLOPT_URL, url(options_.file).c_str());
    set(CURLOPT_WRITEFUNCTION, &Device::arrived);
    set(CURLOPT_WRITEDATA, this);
    if (const int code = run(); code != kDone) return code;
    const auto digests = digester_.finish();
    if (options_.expect.empty()) {
      say(fmt::format("{} arrived", base::size_text(bytes_)));
      return kDone;
    }
    const auto expected = crypto::Expected::parse(options_.expect);
    if (!expected) return fail(expected.error().sentence, kUsage);
    if (crypto::value_of(digests, expected->algorithm) != expected->hex) {
      return fail(fmt::format("{} arrived, but the {} differs", base::size_text(bytes_),
                              crypto::title(expected->algorithm)),
                  kDamaged);
    }
    say(fmt::format("{} arrived, {} is as expected", base::size_text(bytes_),
                    crypto::title(expected->algorithm)));
    return kDone;
  }

  int send() {
    say(fmt::format("send {} by {} to {}", options_.as, options_.over, options_.server));
    file_.reset(std::fopen(options_.file.c_str(), "rb"));
    if (!file_) return fail(options_.file + " can't be read", kUsage);
    std::fseek(file_.get(), 0, SEEK_END);
    bytes_ = static_cast<std::uint64_t>(std::ftell(file_.get()));
    std::rewind(file_.get());
    set(CURLOPT_URL, url(options_.as).c_str());
    set(CURLOPT_UPLOAD, 1L);
    set(CURLOPT_INFILESIZE_LARGE, static_cast<curl_off_t>(bytes_));
    set(CURLOPT_READDATA, file_.get());
    set(CURLOPT_WRITEFUNCTION, &Device::arrived);
    set(CURLOPT_WRITEDATA, this);
    if (const int code = run(); code != kDone) return code;
    say(fmt::format("{} sent, and acknowledged by the server{}", base::size_text(bytes_),
                    told_.empty() ? "" : ": " + told_));
    return kDone;
  }

 private:
  template <class T>
  void set(CURLoption option, T value) {
    curl_easy_setopt(curl_.get(), option, value);
  }

  std::string url(const std::string& name) const {
    return fmt::format("{}://{}/{}", options_.over, options_.server,
                       base::percent_encoded(name, "~/"));
  }

  int run() {
    const auto code = curl_easy_perform(curl_.get());
    if (code == CURLE_OK && status() < 400) return kDone;
    const std::string why = error_[0] != '\0' ? error_ : curl_easy_strerror(code);
    return fail(told_.empty() ? why : "the server says: " + told_, kRefused);
  }

  // Of HTTP; else 0.
  long status() const {
    long value = 0;
    if (options_.over == "http") {
      curl_easy_getinfo(curl_.get(), CURLINFO_RESPONSE_CODE, &value);
    }
    return value;
  }

  static std::size_t arrived(char* data, std::size_t, std::size_t count, void* self) {
    auto& device = *static_cast<Device*>(self);
    if (const auto status = device.status(); status >= 400 || status == 201) {
      // What the console would show: the first line.
      const std::string_view text(data, count);
      device.told_ += base::printable(text.substr(0, text.find('\n')), 300);
      return count;
    }
    device.bytes_ += count;
    device.digester_.update(base::as_bytes({data, count}));
    if (device.file_ && std::fwrite(data, 1, count, device.file_.get()) != count)
      return 0;
    if (device.options_.rate > 0) {
      std::this_thread::sleep_for(std::chrono::duration<double>(
          static_cast<double>(count) / device.options_.rate));
    }
    return count;
  }

  // libcurl tells an error packet's text in a line that begins with these words, and an
  // FTP server's replies as they come.
  static int overheard(CURL*, curl_infotype type, char* data, std::size_t count,
                       void* self) {
    constexpr std::string_view kError = "TFTP error: ";
    auto& device = *static_cast<Device*>(self);
    std::string_view line(data, count);
    if (type == CURLINFO_TEXT && line.starts_with(kError)) {
      line.remove_prefix(kError.size());
    } else if (type == CURLINFO_HEADER_IN && device.options_.over == "ftp" &&
               (line.starts_with('4') || line.starts_with('5') ||
                line.starts_with("226 Filed"))) {
      line.remove_prefix(std::min<std::size_t>(4, line.size()));
    } else {
      return 0;
    }
    while (line.ends_with('\n') || line.ends_with('\r')) line.remove_suffix(1);
    device.told_ = base::printable(line, 300);
    return 0;
  }

  static int knows(void* self, int, const char* key, std::size_t size) {
    const auto& known = static_cast<Device*>(self)->options_.host_keys;
    crypto::Digester digester;
    digester.update(base::as_bytes({key, size}));
    const auto raw = base::from_hex(digester.finish().sha256);
    auto shown = "SHA256:" + base::base64(*raw);
    while (shown.ends_with('=')) shown.pop_back();
    return std::find(known.begin(), known.end(), shown) == known.end()
               ? CURLKHMATCH_MISMATCH
               : CURLKHMATCH_OK;
  }

  void say(const std::string& line) const {
    std::fputs(fmt::format("[{} {}] {}\n", options_.name, options_.address, line).c_str(),
               stdout);
    std::fflush(stdout);
  }

  int fail(const std::string& why, ExitCode code) const {
    say("FAILED: " + why);
    return code;
  }

  const Options& options_;
  std::unique_ptr<CURL, CloseCurl> curl_;
  char error_[CURL_ERROR_SIZE] = {};
  std::string told_;
  File file_;
  std::uint64_t bytes_ = 0;
  crypto::Digester digester_;
};

}  // namespace

int main(int argc, char** argv) {
  CLI::App app{"a simulated network device"};
  app.require_subcommand(1);
  Options options;
  std::string rate;
  app.add_option("--name", options.name, "what it is called")->required();
  app.add_option("--address", options.address, "its own address")->required();
  app.add_option("--server", options.server, "ADDRESS:PORT of the server")->required();
  app.add_option("--account", options.account, "NAME:PASSWORD");
  app.add_option("--host-key", options.host_keys, "SHA256:... of a server that it knows")
      ->allow_extra_args(false);
  app.add_option("--over", options.over, "tftp, ftp, http, scp or sftp")
      ->check(CLI::IsMember({"tftp", "ftp", "http", "scp", "sftp"}))
      ->capture_default_str();
  auto* fetch = app.add_subcommand("fetch", "fetch an image");
  fetch->add_option("IMAGE", options.file, "the name to ask for")->required();
  fetch->add_option("--expect", options.expect, "checksum that it must have");
  fetch->add_option("--to", options.to, "keep it in this file");
  fetch->add_option("--block", options.block, "TFTP block size");
  fetch->add_option("--rate", rate, "bytes per second of its line, such as 4MiB");
  auto* send = app.add_subcommand("send", "send a file");
  send->add_option("FILE", options.file, "the file to send")->required();
  send->add_option("--as", options.as, "the name to send it under")->required();
  send->add_option("--block", options.block, "TFTP block size");
  CLI11_PARSE(app, argc, argv);
  if (!rate.empty()) {
    const auto parsed = base::parse_size(rate);
    if (!parsed) {
      std::fputs("--rate: no size\n", stderr);
      return kUsage;
    }
    options.rate = static_cast<double>(*parsed);
  }
  curl_global_init(CURL_GLOBAL_DEFAULT);
  Device device(options);
  const int code = fetch->parsed() ? device.fetch() : device.send();
  curl_global_cleanup();
  return code;
}
