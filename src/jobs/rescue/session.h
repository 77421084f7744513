// A rescue session: for a limited time, one network interface is open to a device without
// a working system. Everything that it opens depends on its record: when that ends,
// nothing of it is valid any more.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "db/database.h"
#include "jobs/rescue/profile.h"

namespace vantro::jobs::rescue {

// In the change log, with the session's number.
inline constexpr const char* kRescueChanged = "rescue";

// A name on the session's interface, and its content.
struct GivenName {
  std::string name;        // exactly
  std::string stands_for;  // for people: the image's name
  std::string sha256;      // of bytes in the vault; empty: `content`
  std::string content;     // a text
  std::uint64_t size = 0;
  bool backup = false;
  bool operator==(const GivenName&) const = default;
};

struct Session {
  std::int64_t id = 0;
  std::int64_t device = 0;  // of the inventory; 0: unknown
  std::string device_name;
  std::string node;  // whose interface it is; empty: there is only one node
  std::string interface;
  std::string profile;
  std::string platform;
  Way way = Way::kAsks;
  std::string over;
  base::Address server = base::Address::v4(0);
  unsigned prefix = 24;
  bool own_address = false;  // the server has added it, and removes it again
  base::WallTime opened_at = 0;
  std::string opened_by;
  base::WallTime until = 0;
  base::WallTime ended_at = 0;  // 0: it is open
  std::string ended_by, ended_why;
  std::string summary;  // lines; empty while it is open
  std::vector<GivenName> names;

  base::Network network() const { return network_of(server, prefix); }
  bool open(base::WallTime now) const { return ended_at == 0 && now < until; }
  // Case-insensitive; null: it is none of them.
  const GivenName* find(const std::string& name) const;
};

// One line of its story.
struct Event {
  std::int64_t id = 0;
  std::int64_t session = 0;
  base::WallTime at = 0;
  std::string what;  // "address", "loading", "loaded", "refused", ...: see story.h
  std::string sentence;
};

// The open sessions, without the database. Immutable.
class Index {
 public:
  // `node`: the one that asks.
  static Index read(db::Transaction& transaction, const std::string& node);

  // The session of an asker with this address on this interface of this node; null: none
  // is open there. The pointer lives as long as the index.
  const Session* at(std::string_view interface, const base::Address& address,
                    base::WallTime now) const;
  // The one of this node whose network has the address, whatever the interface; null:
  // none.
  const Session* around(const base::Address& address, base::WallTime now) const;
  const Session* find(std::int64_t id) const;
  // Of all nodes.
  const std::vector<std::shared_ptr<const Session>>& all() const { return sessions_; }

 private:
  std::string node_;
  std::vector<std::shared_ptr<const Session>> sessions_;
};

// As jobs::Jobs: changes are static and work in the caller's transaction.
class Sessions {
 public:
  explicit Sessions(db::Database& database) : database_(database) {}

  // kExists: the other one is on the same interface, or its addresses overlap.
  static base::Outcome<void> beside(const Session& other, const Session& wanted);
  // The id is set here. kExists, as beside() for each open one.
  static base::Outcome<Session> add(db::Transaction& transaction, Session session);
  static void end(db::Transaction& transaction, const Session& session,
                  const std::string& by, const std::string& why,
                  const std::string& summary, base::WallTime now);
  static void note(db::Transaction& transaction, Event event);
  static std::vector<Session> open(db::Transaction& transaction);

  // Newest first.
  base::Outcome<std::vector<Session>> list(std::size_t most) const;
  // kNotFound.
  base::Outcome<Session> find(std::int64_t id) const;
  // In the order of time.
  base::Outcome<std::vector<Event>> events(std::int64_t session) const;

 private:
  db::Database& database_;
};

}  // namespace vantro::jobs::rescue
