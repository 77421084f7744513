// Everything in which the databases differ: SQLite, which is a file of this process, and
// PostgreSQL, which several nodes share. Statements are written once, in the part of SQL
// that both have; what is left is here and in engine.cc.
#pragma once

#include <memory>
#include <soci/soci.h>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "db/database.h"

namespace vantro::db {

using Statements = std::vector<std::string>;

// The database did not accept a connection; with the library's words.
class NotConnected : public soci::soci_error {
 public:
  using soci::soci_error::soci_error;
};

class Engine {
 public:
  // `where`: the path of a file, or "postgresql://...". kInvalid: neither.
  static base::Outcome<std::unique_ptr<Engine>> of(const std::string& where);
  // As Database::address_of().
  static base::Outcome<Database::Address> address_of(const std::string& url);

  virtual ~Engine() = default;

  // Whether other programs write to it, too: other nodes.
  virtual bool shared() const = 0;
  // For messages: the path; or the address, without user and password.
  virtual std::string name() const = 0;
  // Connects. Throws soci::soci_error.
  virtual void open(soci::session& session) const = 0;
  // The server's address for a ServerWatch, in libpq's form. Empty: nothing to watch.
  virtual std::string server() const = 0;
  // The socket of a connection; -1: it has none.
  virtual int socket_of(soci::session& session) const = 0;
  // A statement that tells other nodes that the change log has grown; empty: none.
  virtual std::string announcement() const = 0;

  // Statements that begin a transaction. One writer at a time, also among nodes: so
  // numbers and the change log grow in the order of the commits.
  virtual const char* begin_write() const = 0;
  virtual const char* begin_read() const = 0;
  // For Database::aside().
  virtual const char* begin_aside() const = 0;
  // An expression for its clock, in milliseconds since 1970.
  virtual std::string clock() const = 0;
  // Whether texts must be UTF-8, without zero bytes.
  virtual bool takes_only_utf8() const = 0;
  // A query's whole result is in memory before its first row can be looked at.
  virtual bool gives_all_rows_at_once() const = 0;
  // An expression for the number of the running transaction; and what became of it, if
  // the answer to its commit was lost.
  virtual std::string transaction_number() const = 0;
  enum class Fate { kCommitted, kNot, kUnknown };
  virtual Fate fate_of(Connection& connection, const std::string& number) const = 0;

  enum class Failed {
    kStatement,
    kTurn,       // another transaction was in the way: again, from its beginning
    kConnection  // the connection is of no use any more
  };
  virtual Failed how(const soci::soci_error& error) const = 0;
  // Never the library's own text: it holds the values of the statement. Devices may see
  // it, so it does not name the database.
  virtual base::Refusal refusal_of(const soci::soci_error& error) const = 0;
  // For people: why it does not answer, and which one it is.
  virtual std::string why_gone(const soci::soci_error& error) const = 0;

  // Before the schema is touched: whether it is sound, and fit to be used. `unchecked`:
  // it was too large for a check.
  virtual base::Outcome<void> look(Connection& writer, bool& unchecked) const = 0;
  virtual bool has_table(Connection& writer, const std::string& table) const = 0;
  // Whatever must be set before the first table is made. `made_before`: there are tables.
  virtual void make_ready(Connection& writer, bool made_before) const = 0;
  // The statements that make the newest schema in an empty database. Empty: all
  // versions, one after the other.
  virtual Statements whole_schema() const = 0;
  // A statement of the schema in its words.
  virtual std::string of_schema(const std::string& statement) const = 0;
  // How much of the disk it needs.
  virtual std::uint64_t bytes(Connection& connection) const = 0;
  // Returns the space of removed rows, a piece; 0: there is none to return.
  virtual std::uint64_t give_room_back(Connection& writer) const = 0;
};

// An SQLite database in memory with the newest schema and nothing in it. Throws
// soci::soci_error.
struct Model {
  Model();
  ~Model();
  std::unique_ptr<Engine> engine;
  std::unique_ptr<Connection> connection;
};

}  // namespace vantro::db
