// Where a test keeps its database: in a file of its own; or, if VANTRO_TEST_POSTGRESQL
// names a PostgreSQL database, in a schema of its own there. So the same tests run over
// both.
#pragma once

#include <string>

namespace vantro::fakes {

class TestDatabase {
 public:
  TestDatabase();
  ~TestDatabase();
  TestDatabase(const TestDatabase&) = delete;
  TestDatabase& operator=(const TestDatabase&) = delete;

  // An empty one.
  void renew();
  // For tests about the file.
  void use_file();
  // Empty: a file, where the state folder has it.
  const std::string& where() const { return where_; }
  // The same for those who name the file themselves.
  std::string where(const std::string& file) const {
    return where_.empty() ? file : where_;
  }

 private:
  void make();
  void drop();

  std::string schema_;
  std::string where_;
};

}  // namespace vantro::fakes
