#include "tests/fakes/test_database.h"

#include <atomic>
#include <cstdlib>
#include <fmt/format.h>
#include <libpq-fe.h>
#include <memory>
#include <stdexcept>
#include <unistd.h>

namespace vantro::fakes {
namespace {

constexpr const char* kServer = "VANTRO_TEST_POSTGRESQL";

void run(const std::string& sql) {
  const std::unique_ptr<PGconn, void (*)(PGconn*)> connection(
      ::PQconnectdb(std::getenv(kServer)), ::PQfinish);
  const std::unique_ptr<PGresult, void (*)(PGresult*)> result(
      ::PQexec(connection.get(), sql.c_str()), ::PQclear);
  if (::PQresultStatus(result.get()) != PGRES_COMMAND_OK) {
    throw std::runtime_error(sql + ": " + ::PQerrorMessage(connection.get()));
  }
}

}  // namespace

TestDatabase::TestDatabase() { make(); }

void TestDatabase::make() {
  if (std::getenv(kServer) == nullptr) return;
  static std::atomic<int> count = 0;
  schema_ = fmt::format("test_{}_{}", ::getpid(), ++count);
  run("create schema " + schema_);
  const std::string server = std::getenv(kServer);
  where_ = fmt::format("{}{}options=-csearch_path%3D{}", server,
                       server.find('?') == std::string::npos ? '?' : '&', schema_);
}

TestDatabase::~TestDatabase() { drop(); }

void TestDatabase::renew() {
  drop();
  make();
}

void TestDatabase::use_file() {
  drop();
  where_.clear();
}

void TestDatabase::drop() {
  if (schema_.empty()) return;
  try {
    run("set client_min_messages = error; drop schema " + schema_ + " cascade");
  } catch (const std::exception& error) {
    // The next test is not disturbed by it.
    fmt::print(stderr, "{}\n", error.what());
  }
  schema_.clear();
}

}  // namespace vantro::fakes
