// A real PostgreSQL of the test's own: in a new folder, on a free port of 127.0.0.1, and
// not as root.
#pragma once

#include <memory>
#include <string>

#include "tests/end_to_end/process.h"

namespace vantro::end_to_end {

class PostgresqlServer {
 public:
  // Running when it returns. Throws std::runtime_error if it cannot be started.
  PostgresqlServer();
  ~PostgresqlServer();
  PostgresqlServer(const PostgresqlServer&) = delete;
  PostgresqlServer& operator=(const PostgresqlServer&) = delete;

  // The address of a database in it.
  std::string url(const std::string& database = "vantro") const;
  // The same over its socket, which can be reached from other network namespaces, too.
  std::string url_of_socket() const;
  int port() const { return port_; }
  // As its own tool prints it, without heading and trimmed.
  std::string query(const std::string& sql) const;

  // From now on only with its password.
  void require_password(const std::string& user) const;

  void start();
  // Without a goodbye, as when its machine loses power.
  void kill();
  // A second server, which follows this one's changes; a commit here waits until it has
  // them. Both are in its address.
  std::unique_ptr<PostgresqlServer> standby();
  // From now on a standby is a server of its own.
  void promote() const;

 private:
  // A standby: what it copies is at this address.
  explicit PostgresqlServer(const std::string& primary);
  void take_folder();

  std::string folder_;
  int port_ = 0;
  std::unique_ptr<Process> server_;
};

}  // namespace vantro::end_to_end
