// An open connection, and its statements: each is compiled once.
#pragma once

#include <functional>
#include <memory>
#include <soci/soci.h>
#include <string>
#include <unordered_map>
#include <vector>

#include "base/unique_fd.h"
#include "db/database.h"
#include "db/engine.h"

namespace vantro::db {

class Statement;

// A connection's socket, for others than its thread.
class ConnectionSocket {
 public:
  explicit ConnectionSocket(int fd);  // -1: there is none
  // Whoever waits for the server over it gets a failure, now.
  void cut() const;

 private:
  base::UniqueFd own_;  // another descriptor of it
};

// Not thread-safe. Everything may throw soci::soci_error.
class Connection {
 public:
  // The engine must outlive it.
  explicit Connection(const Engine& engine);
  ~Connection();
  Connection(const Connection&) = delete;
  Connection& operator=(const Connection&) = delete;

  Rows execute(const std::string& sql, const std::vector<Value>& values = {});
  void run(const std::string& sql, const std::vector<Value>& values = {});
  // Row by row, within a transaction; `take` must run no statements.
  void each(const std::string& sql, const std::vector<Value>& values,
            const std::function<void(const Row&)>& take);
  // Not kept, and without values; may be several, separated by semicolons.
  void plain(const std::string& sql) { session_.once << sql; }
  // Throws nothing.
  void roll_back();

  const std::shared_ptr<ConnectionSocket>& socket() const { return socket_; }

 private:
  void execute(const std::string& sql, const std::vector<Value>& values, bool wanted,
               const std::function<void(Row)>& take);

  const Engine& engine_;
  soci::session session_;
  std::shared_ptr<ConnectionSocket> socket_;
  std::unordered_map<std::string, std::unique_ptr<Statement>> kept_;
};

}  // namespace vantro::db
