// How fast FTP is, as ratios to what the machine can do in the same run.
//
//   vantro-bench-ftp [--rounds N] [--only LETTERS] [--markdown]
//
// Each pair (a yardstick, the server) is measured in turns, N rounds; what is shown are
// the medians and their ratio. Everything is on loopback, in processes of its own. What
// is timed is from the command to the file's last byte, for uploads to the 226.
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <memory>
#include <stdexcept>
#include <string>
#include <sys/socket.h>
#include <unistd.h>
#include <vector>

#include "base/unique_fd.h"
#include "bench/bench_main.h"
#include "bench/limits.h"
#include "bench/real_server.h"
#include "bench/tcp_peers.h"
#include "bench/tls_reader.h"

namespace vantro::bench {
namespace {

using Clock = std::chrono::steady_clock;

constexpr std::size_t kImage = std::size_t{1} << 30;
constexpr const char* kSettings =
    "[limits]\nconnections = 20000\nconnections_per_device = 20000\n"
    "transfers_per_device = 20000\ntransfers_per_network = 20000\n"
    "transfers = 20000\ndeposited_per_day = \"10000 GiB\"\n";

// A logged-in client that does as little as it can.
class Client {
 public:
  explicit Client(std::uint16_t port, bool over_tls = false) : fd_(connect_to(port)) {
    if (fd_ < 0) throw std::runtime_error("no connection");
    reply("220");
    if (over_tls) {
      say("AUTH TLS", "234");
      tls_ = std::make_unique<TlsPeer>(fd_);
      say("PBSZ 0", "200");
      say("PROT P", "200");
    }
    say("USER anonymous", "331");
    say("PASS x", "230");
  }
  ~Client() { ::close(fd_); }
  Client(const Client&) = delete;
  Client& operator=(const Client&) = delete;

  std::string say(const std::string& line, const char* code) {
    send(line);
    return reply(code);
  }
  void send(const std::string& line) {
    const auto text = line + "\r\n";
    if (tls_) return tls_->send(text);
    if (::send(fd_, text.data(), text.size(), MSG_NOSIGNAL) < 0) {
      throw std::runtime_error("a command could not be sent");
    }
  }
  // Only replies of one line come here.
  std::string reply(const char* code) {
    std::size_t end = 0;
    while ((end = waiting_.find("\r\n")) == std::string::npos) {
      const auto more = receive();
      if (more.empty()) throw std::runtime_error("a reply broke off");
      waiting_ += more;
    }
    auto line = waiting_.substr(0, end);
    waiting_.erase(0, end + 2);
    if (!line.starts_with(code)) throw std::runtime_error("refused: " + line);
    return line;
  }
  // A connected data connection.
  int data() {
    const auto told = say("EPSV", "229");
    const auto port = std::atoi(told.c_str() + told.find("|||") + 3);
    const int fd = connect_to(static_cast<std::uint16_t>(port));
    if (fd < 0) throw std::runtime_error("no data connection");
    return fd;
  }

 private:
  std::string receive() {
    if (tls_) return tls_->receive();
    char buffer[4096];
    const auto got = ::recv(fd_, buffer, sizeof buffer, 0);
    return got <= 0 ? std::string() : std::string(buffer, static_cast<std::size_t>(got));
  }

  int fd_;
  std::unique_ptr<TlsPeer> tls_;
  std::string waiting_;
};

std::vector<double> fetch_together(std::uint16_t port, const std::string& name,
                                   std::size_t connections, std::size_t bytes) {
  std::vector<std::unique_ptr<Client>> clients;
  std::vector<int> sockets;
  for (std::size_t i = 0; i < connections; ++i) {
    clients.push_back(std::make_unique<Client>(port));
    sockets.push_back(clients.back()->data());
  }
  auto seconds = read_to_end(sockets, bytes, false, [&] {
    for (const auto& one : clients) one->send("RETR " + name);
  });
  for (const auto& one : clients) {
    one->reply("150");
    one->reply("226");
  }
  return seconds;
}

double store(std::uint16_t port, const std::string& name, std::size_t bytes) {
  Client client(port);
  const int data = client.data();
  std::vector<char> piece(1 << 20, '\0');
  std::copy(name.begin(), name.end(), piece.begin());
  const auto begin = Clock::now();
  client.say("STOR " + name, "150");
  for (std::size_t done = 0; done < bytes;) {
    const auto put =
        ::send(data, piece.data(), std::min(piece.size(), bytes - done), MSG_NOSIGNAL);
    if (put <= 0) throw std::runtime_error("the upload was interrupted");
    done += static_cast<std::size_t>(put);
  }
  ::close(data);
  client.reply("226");
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

class Bench {
 public:
  Bench(int rounds, bool markdown) : rounds_(rounds), report_(markdown) {}

  void one(const RealServer& server) {
    const SendfilePump pump(server.image(), 2);
    std::vector<double> bare, ours;
    for (int i = 0; i < rounds_; ++i) {
      bare.push_back(kImage /
                     read_together(pump.port(), RealServer::kImage, 1, kImage).front());
      ours.push_back(fetch_one(server));
    }
    report_.line("(a) 1 download of 1 GiB in the page cache", rate_text(median(bare)),
                 rate_text(median(ours)), ratio_text(median(ours) / median(bare)));
  }

  void many(const RealServer& server) {
    constexpr std::size_t kReaders = 200;
    constexpr std::size_t kBytes = std::size_t{32} << 20;
    const auto file = server.folder() + "/many.img";
    std::ofstream(file) << std::string(kBytes, 'm');
    server.add(file);
    const SendfilePump pump(file, 2);
    std::vector<double> bare, ours, bare_spread, spread;
    const auto note = [&](const std::vector<double>& seconds, std::vector<double>& rates,
                          std::vector<double>& spreads) {
      const auto slowest = *std::max_element(seconds.begin(), seconds.end());
      rates.push_back(kReaders * static_cast<double>(kBytes) / slowest);
      spreads.push_back(slowest / median(seconds));
    };
    for (int i = 0; i < rounds_; ++i) {
      note(read_together(pump.port(), "many.img", kReaders, kBytes), bare, bare_spread);
      note(fetch_together(server.ftp_port(), "many.img", kReaders, kBytes), ours, spread);
    }
    report_.line("(b) 200 downloads of 32 MiB at once, in sum", rate_text(median(bare)),
                 rate_text(median(ours)), ratio_text(median(ours) / median(bare)));
    report_.line("(b) their slowest beside their median", ratio_text(median(bare_spread)),
                 ratio_text(median(spread)), "");
  }

  void upload(const RealServer& server) {
    std::vector<double> digests, disk, ours;
    for (int i = 0; i < rounds_; ++i) {
      digests.push_back(sha256_limit(kImage));
      disk.push_back(disk_limit(server.folder(), kImage));
      ours.push_back(kImage / store(server.ftp_port(), fmt::format("up-{}", i), kImage));
      server.settle();  // the other digests are computed now
    }
    const auto limit = std::min(median(digests), median(disk));
    report_.line("(c) SHA-256 on one thread", rate_text(median(digests)), "", "");
    report_.line("(c) write and sync of 1 GiB", rate_text(median(disk)), "", "");
    report_.line("(c) an upload of 1 GiB, beside the slower", rate_text(limit),
                 rate_text(median(ours)), ratio_text(median(ours) / limit));
  }

  void over_tls(const RealServer& server) {
    TlsRounds rounds;
    for (int i = 0; i < rounds_; ++i) {
      Client client(server.ftp_port(), true);
      const base::UniqueFd data(client.data());
      rounds.add(server, kImage, [&] {
        const auto begin = Clock::now();
        client.send(std::string("RETR ") + RealServer::kImage);
        TlsPeer peer(data.get());
        peer.drain(kImage);
        return std::chrono::duration<double>(Clock::now() - begin).count();
      });
    }
    rounds.report(report_, "(e)", "FTPS");
  }

  void idle(const RealServer& server) {
    constexpr std::size_t kSessions = 1000;
    constexpr double kSeconds = 5;
    const auto empty = server.memory();
    std::vector<std::unique_ptr<Client>> sessions;
    for (std::size_t i = 0; i < kSessions; ++i) {
      sessions.push_back(std::make_unique<Client>(server.ftp_port()));
    }
    ::usleep(1'000'000);
    const auto with_them = server.memory();
    const auto before = server.cpu();
    ::usleep(static_cast<useconds_t>(kSeconds * 1e6));
    const auto used = (server.cpu() - before) / kSeconds;
    std::vector<double> alone, beside;
    for (int i = 0; i < rounds_; ++i) beside.push_back(fetch_one(server));
    sessions.clear();
    ::usleep(500'000);
    for (int i = 0; i < rounds_; ++i) alone.push_back(fetch_one(server));
    report_.line("(d) memory for an idle session, of 1000", "",
                 fmt::format("{:.1f} KiB", (with_them - empty) / kSessions / 1024), "");
    report_.line("(d) processor for 1000 of them", "1 second a second",
                 fmt::format("{:.1f} ms a second", used * 1000), "");
    report_.line("(d) 1 download; beside them", rate_text(median(alone)),
                 rate_text(median(beside)), ratio_text(median(beside) / median(alone)));
  }

 private:
  static double fetch_one(const RealServer& server) {
    return kImage /
           fetch_together(server.ftp_port(), RealServer::kImage, 1, kImage).front();
  }

  int rounds_;
  Report report_;
};

}  // namespace
}  // namespace vantro::bench

int main(int argc, char** argv) {
  using namespace vantro::bench;
  return bench_main(argc, argv, "FTP", "abcde", [](const Choice& choice) {
    const auto files =
        make_certificate_files(std::filesystem::temp_directory_path().string());
    const RealServer server(
        fmt::format("{}[ftp]\nidle_s = 3600\ncertificate = \"{}\"\nkey = \"{}\"\n",
                    kSettings, files.certificate, files.key),
        kImage);
    Bench bench(choice.rounds, choice.markdown);
    if (choice.wanted('d')) bench.idle(server);
    if (choice.wanted('a')) bench.one(server);
    if (choice.wanted('b')) bench.many(server);
    if (choice.wanted('c')) bench.upload(server);
    if (choice.wanted('e')) bench.over_tls(server);
  });
}
