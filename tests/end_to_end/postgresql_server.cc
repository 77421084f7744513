#include "tests/end_to_end/postgresql_server.h"

#include <arpa/inet.h>
#include <csignal>
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>
#include <netinet/in.h>
#include <stdexcept>
#include <sys/socket.h>
#include <unistd.h>

#include "tests/fakes/eventually.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::end_to_end {
namespace {

namespace fs = std::filesystem;

// Debian keeps the programs of each version apart.
std::string program(const std::string& name) {
  for (const auto* version : {"17", "16", "15", "14", "13"}) {
    const auto path = fmt::format("/usr/lib/postgresql/{}/bin/{}", version, name);
    if (fs::exists(path)) return path;
  }
  throw std::runtime_error("no PostgreSQL: scripts/install-packages test");
}

constexpr int kNobody = 65534;

// It refuses to run as root.
Arguments as_somebody_else(Arguments arguments) {
  if (::geteuid() == 0) {
    const Arguments before{"/usr/bin/setpriv",
                           fmt::format("--reuid={}", kNobody),
                           fmt::format("--regid={}", kNobody),
                           "--clear-groups",
                           "--pdeathsig=KILL",
                           "--"};
    arguments.insert(arguments.begin(), before.begin(), before.end());
  }
  return arguments;
}

int free_port() {
  const int fd = ::socket(AF_INET, SOCK_STREAM, 0);
  sockaddr_in place{};
  place.sin_family = AF_INET;
  place.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  socklen_t size = sizeof place;
  ::bind(fd, reinterpret_cast<sockaddr*>(&place), size);
  ::getsockname(fd, reinterpret_cast<sockaddr*>(&place), &size);
  ::close(fd);
  return ntohs(place.sin_port);
}

}  // namespace

void PostgresqlServer::take_folder() {
  std::string pattern = fs::temp_directory_path() / "vantro-pg-XXXXXX";
  if (::mkdtemp(pattern.data()) == nullptr) throw std::runtime_error("no folder");
  folder_ = pattern;
  if (::geteuid() == 0 && ::chown(folder_.c_str(), kNobody, kNobody) != 0) {
    throw std::runtime_error("no folder");
  }
}

PostgresqlServer::PostgresqlServer() {
  take_folder();
  // With an order of texts that is not that of their bytes, as many have it.
  const auto made =
      run(as_somebody_else({program("initdb"), "-D", folder_ + "/data", "-A", "trust",
                            "-U", "vantro", "--encoding=UTF8", "--locale-provider=icu",
                            "--icu-locale=en-US", "--locale=C.UTF-8", "--no-sync",
                            "--no-instructions"}),
          {}, "", "/");
  if (made.code != 0) throw std::runtime_error("initdb: " + made.err);
  port_ = free_port();
  start();
  query("create database vantro");
}

PostgresqlServer::~PostgresqlServer() {
  if (server_ && server_->running()) {
    server_->signal(SIGCONT);
    server_->signal(SIGQUIT);
    server_->wait();
  }
  std::error_code ignored;
  fs::remove_all(folder_, ignored);
}

std::string PostgresqlServer::url(const std::string& database) const {
  return fmt::format("postgresql://vantro@127.0.0.1:{}/{}", port_, database);
}

std::string PostgresqlServer::url_of_socket() const {
  return fmt::format("postgresql://vantro@/vantro?host={}&port={}", folder_, port_);
}

std::string PostgresqlServer::query(const std::string& sql) const {
  const auto done = run({"/usr/bin/psql", url("postgres"), "-qAtc", sql}, {}, "", "/");
  if (done.code != 0) throw std::runtime_error(sql + ": " + done.err);
  return done.out.substr(0, done.out.find_last_not_of('\n') + 1);
}

void PostgresqlServer::require_password(const std::string& user) const {
  const auto file = folder_ + "/data/pg_hba.conf";
  const auto before = fakes::read_file(file);
  fakes::write_file(file, "host all " + user + " 127.0.0.1/32 scram-sha-256\n" + before);
  query("select pg_reload_conf()");
}

void PostgresqlServer::start() {
  server_ = std::make_unique<Process>(
      as_somebody_else({program("postgres"), "-D", folder_ + "/data", "-c",
                        fmt::format("port={}", port_), "-c", "listen_addresses=127.0.0.1",
                        "-c", "unix_socket_directories=" + folder_, "-c",
                        "max_connections=300", "-c", "shared_buffers=32MB"}),
      Environment{}, folder_ + "/out", folder_ + "/err", "", "/");
  const bool ready = fakes::eventually(
      [&] {
        return run({"/usr/bin/psql", url("postgres"), "-qAtc", "select 1"}, {}, "", "/")
                       .code == 0 ||
               !server_->running();
      },
      std::chrono::milliseconds(50));
  if (!ready || !server_->running()) {
    throw std::runtime_error("postgres: " + fakes::read_file(folder_ + "/err"));
  }
}

void PostgresqlServer::kill() {
  // The others of its processes end when they see that it is gone.
  server_->signal(SIGQUIT);
  server_->wait();
}

std::unique_ptr<PostgresqlServer> PostgresqlServer::standby() {
  std::unique_ptr<PostgresqlServer> made(new PostgresqlServer(url("replication")));
  query("alter system set synchronous_standby_names = '*'");
  query("select pg_reload_conf()");
  return made;
}

PostgresqlServer::PostgresqlServer(const std::string& primary) {
  take_folder();
  const auto copied =
      run(as_somebody_else({program("pg_basebackup"), "-D", folder_ + "/data", "-d",
                            primary, "-R", "--checkpoint=fast", "--no-sync"}),
          {}, "", "/");
  if (copied.code != 0) throw std::runtime_error("pg_basebackup: " + copied.err);
  port_ = free_port();
  start();
}

void PostgresqlServer::promote() const { query("select pg_promote()"); }

}  // namespace vantro::end_to_end
