#include "bench/real_server.h"

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <iterator>
#include <sstream>
#include <stdexcept>
#include <thread>
#include <unistd.h>

namespace vantro::bench {

double median(std::vector<double> values) {
  std::sort(values.begin(), values.end());
  return values[values.size() / 2];
}

RealServer::RealServer(const std::string& settings, std::size_t size,
                       const std::function<void(const std::string&)>& prepare)
    : RealServer(
          [&](const std::string& state) {
            if (prepare) prepare(state);
            return settings;
          },
          size) {}

RealServer::RealServer(const std::function<std::string(const std::string&)>& prepare,
                       std::size_t size) {
  std::string pattern = (std::filesystem::temp_directory_path() / "vantro-bench-XXXXXX");
  folder_ = ::mkdtemp(pattern.data());
  std::ofstream(folder_ + "/settings.toml") << prepare(folder_ + "/state");
  const auto begin = std::chrono::steady_clock::now();
  server_ = std::make_unique<end_to_end::Process>(
      end_to_end::Arguments{
          end_to_end::vantrod_program(), "--config", folder_ + "/settings.toml",
          "--state", folder_ + "/state", "--tftp-listen", "127.0.0.1:0", "--ftp-listen",
          "127.0.0.1:0", "--http-listen", "127.0.0.1:0", "--management-listen",
          "127.0.0.1:0", "--management-socket", socket(), "--log-level", "error"},
      end_to_end::Environment{}, folder_ + "/out", folder_ + "/err");
  // With years behind it the start takes its time.
  for (int i = 0; i < 600'000 && text("/out").find("Ready.") == std::string::npos &&
                  server_->running();
       ++i) {
    ::usleep(1000);
  }
  start_seconds_ =
      std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  tftp_port_ = number_behind("TFTP listens on 127.0.0.1:");
  ftp_port_ = number_behind("\nFTP listens on 127.0.0.1:");
  http_port_ = number_behind("HTTP listens on 127.0.0.1:");
  {
    std::ofstream out(image());
    std::string piece(1 << 20, 'i');
    piece.front() = '\0';  // binary, as images are
    for (std::size_t left = size; left > 0;) {
      const auto count = std::min(left, piece.size());
      out.write(piece.data(), static_cast<std::streamsize>(count));
      left -= count;
    }
  }
  add(image());
}

RealServer::~RealServer() {
  server_.reset();
  std::filesystem::remove_all(folder_);
}

void RealServer::add(const std::string& file) const {
  vantro({"image", "add", file, "--yes"});
  settle();
}

void RealServer::vantro(std::vector<std::string> arguments, const std::string& input,
                        const std::vector<int>& codes) const {
  arguments.insert(arguments.begin(), end_to_end::vantro_program());
  const auto done = end_to_end::run(arguments, {{"VANTRO_URL", socket()}}, input, "",
                                    std::chrono::minutes(10));
  const bool known = std::find(codes.begin(), codes.end(), done.code) != codes.end();
  if (done.code != 0 && !known) throw std::runtime_error(done.err);
}

double RealServer::cpu() const {
  const auto stat = read("/proc/" + std::to_string(server_->pid()) + "/stat");
  std::istringstream fields(stat.substr(stat.rfind(')') + 2));
  std::string skipped;
  for (int i = 0; i < 11; ++i) fields >> skipped;
  double user = 0;
  double system = 0;
  fields >> user >> system;
  return (user + system) / static_cast<double>(::sysconf(_SC_CLK_TCK));
}

double RealServer::settle() const {
  const auto begin = std::chrono::steady_clock::now();
  auto quiet = begin;
  constexpr std::chrono::milliseconds kPause{100};
  for (auto before = cpu(); std::chrono::steady_clock::now() - quiet < 15 * kPause;) {
    std::this_thread::sleep_for(kPause);
    const auto now = cpu();
    // A tick of the clock may be its housekeeping.
    if (now - before > 0.02) quiet = std::chrono::steady_clock::now();
    before = now;
  }
  return std::chrono::duration<double>(quiet - begin).count();
}

double RealServer::kilobytes(const std::string& field) const {
  const auto status = read("/proc/" + std::to_string(server_->pid()) + "/status");
  const auto at = status.find("\n" + field + ":");
  if (at == std::string::npos) throw std::runtime_error("no " + field + " in /proc");
  return std::atof(status.c_str() + at + field.size() + 2);
}

double RealServer::memory() const { return kilobytes("RssAnon") * 1024; }
double RealServer::peak_memory() const { return kilobytes("VmHWM") * 1024; }

void RealServer::forget_peak() const {
  // proc(5): 5 sets the peak to what is in memory now.
  std::ofstream("/proc/" + std::to_string(server_->pid()) + "/clear_refs") << "5";
}

std::string RealServer::read(const std::string& file) {
  std::ifstream in(file);
  return {std::istreambuf_iterator<char>(in), {}};
}

std::uint16_t RealServer::number_behind(const std::string& words) const {
  const auto out = text("/out");
  const auto at = out.find(words);
  if (at == std::string::npos) throw std::runtime_error("vantrod: " + text("/err"));
  return static_cast<std::uint16_t>(std::atoi(out.c_str() + at + words.size()));
}

Report::Report(bool markdown) : markdown_(markdown) {
  if (markdown_)
    std::printf("| what | limit | vantrod | ratio |\n| --- | --- | --- | --- |\n");
}

void Report::line(const std::string& what, const std::string& limit,
                  const std::string& ours, const std::string& ratio) const {
  std::printf(markdown_ ? "| %s | %s | %s | %s |\n" : "%-58s %16s %16s  %s\n",
              what.c_str(), limit.c_str(), ours.c_str(), ratio.c_str());
  std::fflush(stdout);
}

}  // namespace vantro::bench
