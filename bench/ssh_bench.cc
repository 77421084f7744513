// How fast SCP and SFTP are, as ratios to what the machine can do in the same run.
//
//   vantro-bench-ssh [--rounds N] [--only LETTERS] [--markdown]
//
// The other side is OpenSSH's scp, with aes128-gcm, over loopback. The yardstick is SCP
// with a server of the library alone; for uploads SHA-256 as well. From each time the one
// that a file of a byte takes is subtracted: the start of the client, key exchange and
// log-in.
#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <fmt/format.h>
#include <fstream>
#include <stdexcept>
#include <string>
#include <sys/resource.h>
#include <vector>

#include "bench/bare_ssh.h"
#include "bench/bench_main.h"
#include "bench/limits.h"
#include "bench/real_server.h"

namespace vantro::bench {
namespace {

using Clock = std::chrono::steady_clock;
using end_to_end::Arguments;

constexpr std::size_t kFile = std::size_t{512} << 20;
constexpr const char* kSettings =
    "[ssh]\nlisten = [\"127.0.0.1:0\"]\n"
    "[limits]\ndeposited_per_day = \"10000 GiB\"\n";

double children_cpu() {
  rusage usage{};
  ::getrusage(RUSAGE_CHILDREN, &usage);
  const auto seconds = [](const timeval& time) {
    return static_cast<double>(time.tv_sec) + static_cast<double>(time.tv_usec) / 1e6;
  };
  return seconds(usage.ru_utime) + seconds(usage.ru_stime);
}

end_to_end::Output must(const Arguments& command,
                        const end_to_end::Environment& environment = {},
                        const std::string& input = "") {
  auto done = end_to_end::run(command, environment, input);
  if (done.code != 0) throw std::runtime_error(command.front() + ": " + done.err);
  return done;
}

// Bytes per second of AES-128-GCM on one core, in pieces as large as SSH's.
double cipher_limit() {
  const auto told = must({"openssl", "speed", "-mr", "-elapsed", "-seconds", "1",
                          "-bytes", "32768", "-evp", "aes-128-gcm"})
                        .out;
  const auto at = told.rfind(':');
  if (at == std::string::npos) throw std::runtime_error("openssl speed: " + told);
  return std::atof(told.c_str() + at + 1);
}

std::string host_key(const std::string& folder) {
  must({"ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", folder + "/host-key"});
  return folder + "/host-key";
}

// What one kind of transfer took, in the rounds.
struct Measured {
  std::vector<double> rates, server_cpu, client_cpu;  // CPU in seconds for a GiB
};

class Bench {
 public:
  Bench(const RealServer& server, const Choice& choice)
      : server_(server),
        bare_(host_key(server.folder()), kFile),
        bare_byte_(server.folder() + "/host-key", 1),
        choice_(choice),
        report_(choice.markdown) {
    std::ofstream(server.folder() + "/byte") << "b";
    server.add(server.folder() + "/byte");
    server.vantro({"account", "add", "bench", "--may", "fetch,deposit"},
                  "bench and more\n");
    must({"ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", server.folder() + "/key"});
    server.vantro({"account", "key", "add", "bench", server.folder() + "/key.pub"});
    std::ofstream(server.folder() + "/config")
        << "Host *\n HostName 127.0.0.1\n User bench\n BatchMode yes\n LogLevel ERROR\n"
           " Ciphers aes128-gcm@openssh.com\n IdentitiesOnly yes\n IdentityFile "
        << server.folder() << "/key\n StrictHostKeyChecking accept-new\n"
        << " UserKnownHostsFile " << server.folder() << "/known\n"
        << "Host v\n Port " << server.ssh_port() << "\nHost bare\n Port " << bare_.port()
        << "\nHost bare-byte\n Port " << bare_byte_.port() << "\n";
  }

  void run() {
    std::vector<double> cipher, digests, bare_down, bare_up;
    Measured kinds[4];
    for (int round = 0; round < choice_.rounds; ++round) {
      cipher.push_back(cipher_limit());
      if (choice_.wanted('a')) bare_down.push_back(bare(false));
      if (choice_.wanted('b')) {
        digests.push_back(sha256_limit(kFile));
        bare_up.push_back(bare(true));
      }
      for (int kind = 0; kind < 4; ++kind) {
        const bool upload = kind >= 2;
        if (choice_.wanted(upload ? 'b' : 'a')) {
          measure(kinds[kind], kind % 2 == 0, upload, round);
        }
      }
    }
    report_.line("AES-128-GCM on one core, as \"openssl speed\" has it",
                 rate_text(median(cipher)), "", "");
    constexpr const char* kNames[] = {
        "(a) SCP download of 512 MiB in the page cache", "(a) SFTP download of the same",
        "(b) SCP upload of 512 MiB", "(b) SFTP upload of the same"};
    for (int kind = 0; kind < 4; ++kind) {
      const auto& one = kinds[kind];
      if (one.rates.empty()) continue;
      const auto library = median(kind >= 2 ? bare_up : bare_down);
      report_.line(kNames[kind], rate_text(library), rate_text(median(one.rates)),
                   ratio_text(median(one.rates) / library));
      if (kind >= 2) {
        report_.line("    the same beside SHA-256 alone", rate_text(median(digests)),
                     rate_text(median(one.rates)),
                     ratio_text(median(one.rates) / median(digests)));
      }
      report_.line("    processor for a GiB: the client's, the server's",
                   fmt::format("{:.2f} s", median(one.client_cpu)),
                   fmt::format("{:.2f} s", median(one.server_cpu)), "");
    }
  }

 private:
  // Seconds; the client's processor time goes to `cpu`.
  double copy(bool classic, const std::string& from, const std::string& to, double& cpu) {
    Arguments command{"scp", "-q", "-F", server_.folder() + "/config", from, to};
    if (classic) command.insert(command.begin() + 1, "-O");
    const auto cpu_before = children_cpu();
    const auto begin = Clock::now();
    must(command);
    const auto seconds = std::chrono::duration<double>(Clock::now() - begin).count();
    cpu = children_cpu() - cpu_before;
    return seconds;
  }

  // The library alone over SCP: bytes per second.
  double bare(bool upload) {
    const auto folder = server_.folder() + "/";
    double cpu = 0;
    const auto idle = upload ? copy(true, folder + "byte", "bare:x", cpu)
                             : copy(true, "bare-byte:x", "/dev/null", cpu);
    const auto busy = upload ? copy(true, server_.image(), "bare:x", cpu)
                             : copy(true, "bare:x", "/dev/null", cpu);
    return kFile / (busy - idle);
  }

  void measure(Measured& to, bool classic, bool upload, int round) {
    const auto there = fmt::format("v:up-{}-{}", classic ? "scp" : "sftp", round);
    const auto folder = server_.folder() + "/";
    double idle_client = 0;
    double busy_client = 0;
    const auto server_before = server_.cpu();
    const auto idle = upload ? copy(classic, folder + "byte", there + "-b", idle_client)
                             : copy(classic, "v:byte", "/dev/null", idle_client);
    const auto server_between = server_.cpu();
    const auto busy = upload ? copy(classic, server_.image(), there, busy_client)
                             : copy(classic, std::string("v:") + RealServer::kImage,
                                    "/dev/null", busy_client);
    const auto server_after = server_.cpu();
    const double gib = kFile / kGiB;
    to.rates.push_back(kFile / (busy - idle));
    to.client_cpu.push_back((busy_client - idle_client) / gib);
    to.server_cpu.push_back(
        (server_after - server_between - (server_between - server_before)) / gib);
  }

  const RealServer& server_;
  const BareSsh bare_, bare_byte_;
  const Choice choice_;
  Report report_;
};

}  // namespace
}  // namespace vantro::bench

int main(int argc, char** argv) {
  using namespace vantro::bench;
  return bench_main(argc, argv, "SSH", "ab", [](const Choice& choice) {
    const RealServer server(kSettings, kFile);
    Bench(server, choice).run();
  });
}
