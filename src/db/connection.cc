#include "db/connection.h"

#include <deque>
#include <fcntl.h>
#include <fmt/format.h>
#include <string_view>
#include <sys/socket.h>

#include "base/numbers.h"
#include "base/visible_name.h"
#include "db/parameters.h"

namespace vantro::db {
namespace {

// Few statements take many forms; lists of names in them do. Beyond this number all are
// dropped.
constexpr std::size_t kMostKept = 400;
// Rows at a time from a large result.
constexpr std::size_t kRowsAtATime = 2000;

Value column_value(const soci::row& row, std::size_t i) {
  if (row.get_indicator(i) == soci::i_null) return nullptr;
  switch (row.get_properties(i).get_data_type()) {
    case soci::dt_integer:
      return std::int64_t{row.get<int>(i)};
    case soci::dt_long_long:
      return static_cast<std::int64_t>(row.get<long long>(i));
    case soci::dt_unsigned_long_long:
      return static_cast<std::int64_t>(row.get<unsigned long long>(i));
    case soci::dt_double:
      return static_cast<std::int64_t>(row.get<double>(i));
    default:
      return row.get<std::string>(i);
  }
}

// Other bytes as \xNN: what somebody sends in another encoding must not keep its record,
// and those beside it, from being written.
std::string in_utf8(std::string_view text) {
  std::string result;
  while (!text.empty()) {
    const auto bytes = base::first_character(text).bytes;
    if (bytes.front() != '\0' && base::is_utf8(bytes)) {
      result += bytes;
    } else {
      result += fmt::format("\\x{:02x}", static_cast<unsigned char>(bytes.front()));
    }
    text.remove_prefix(bytes.size());
  }
  return result;
}

}  // namespace

bool Row::is_null(std::size_t column) const {
  return std::holds_alternative<std::nullptr_t>(values_.at(column));
}

std::string Row::text(std::size_t column) const {
  const auto& value = values_.at(column);
  if (const auto* text = std::get_if<std::string>(&value)) return *text;
  if (const auto* number = std::get_if<std::int64_t>(&value)) {
    return std::to_string(*number);
  }
  return {};
}

std::int64_t Row::integer(std::size_t column) const {
  const auto& value = values_.at(column);
  if (const auto* number = std::get_if<std::int64_t>(&value)) return *number;
  // An expression has no declared type, and then arrives as text.
  const auto* text = std::get_if<std::string>(&value);
  return text == nullptr ? 0 : base::parse_number<std::int64_t>(*text).value_or(0);
}

// A statement that the database has compiled once. SOCI keeps references to the exchanged
// values, so it never moves.
class Statement {
 public:
  // Throws soci::soci_error. The values give the type of each parameter.
  Statement(soci::session& session, bool only_utf8, const std::string& sql,
            const std::vector<Value>& values, bool wanted)
      : numbered_(numbered(sql)),
        statement_(session),
        only_utf8_(only_utf8),
        wanted_(wanted) {
    for (const auto at : numbered_.value) {
      if (std::holds_alternative<std::int64_t>(values.at(at))) {
        statement_.exchange(soci::use(numbers_.emplace_back()));
      } else {
        statement_.exchange(
            soci::use(texts_.emplace_back(), indicators_.emplace_back(soci::i_ok)));
      }
    }
    if (wanted) statement_.exchange(soci::into(row_));
    statement_.alloc();
    statement_.prepare(numbered_.sql);
    statement_.define_and_bind();
  }
  Statement(const Statement&) = delete;
  Statement& operator=(const Statement&) = delete;

  // Throws soci::soci_error; then it must not be used again.
  void execute(const std::vector<Value>& values, const std::function<void(Row)>& take) {
    bind(values);
    bool got = statement_.execute(true);
    while (wanted_ && got) {
      std::vector<Value> columns;
      columns.reserve(row_.size());
      for (std::size_t i = 0; i < row_.size(); ++i)
        columns.push_back(column_value(row_, i));
      take(Row(std::move(columns)));
      got = statement_.fetch();
    }
  }

 private:
  void bind(const std::vector<Value>& values) {
    auto number = numbers_.begin();
    auto text = texts_.begin();
    auto indicator = indicators_.begin();
    for (const auto at : numbered_.value) {
      const auto& value = values.at(at);
      if (const auto* given = std::get_if<std::int64_t>(&value)) {
        *number++ = *given;
        continue;
      }
      const auto* given = std::get_if<std::string>(&value);
      *indicator++ = given == nullptr ? soci::i_null : soci::i_ok;
      *text++ = given == nullptr ? std::string() : only_utf8_ ? in_utf8(*given) : *given;
    }
  }

  const Numbered numbered_;
  // A deque does not move its elements.
  std::deque<long long> numbers_;
  std::deque<std::string> texts_;
  std::deque<soci::indicator> indicators_;
  soci::row row_;
  soci::statement statement_;
  bool only_utf8_;
  bool wanted_;
};

Connection::Connection(const Engine& engine) : engine_(engine) {
  engine.open(session_);
  socket_ = std::make_shared<ConnectionSocket>(engine.socket_of(session_));
}

ConnectionSocket::ConnectionSocket(int fd)
    : own_(fd < 0 ? -1 : ::fcntl(fd, F_DUPFD_CLOEXEC, 0)) {}

void ConnectionSocket::cut() const {
  if (own_) ::shutdown(own_.get(), SHUT_RDWR);
}

Connection::~Connection() = default;

// The statement is kept for the next time: compiling it costs several times its
// execution.
void Connection::execute(const std::string& sql, const std::vector<Value>& values,
                         bool wanted, const std::function<void(Row)>& take) {
  std::string key = wanted ? "?" : "!";
  for (const auto& value : values) {
    key += std::holds_alternative<std::int64_t>(value) ? 'n' : 't';
  }
  key += sql;
  auto found = kept_.find(key);
  if (found == kept_.end()) {
    if (kept_.size() >= kMostKept) kept_.clear();
    auto made = std::make_unique<Statement>(session_, engine_.takes_only_utf8(), sql,
                                            values, wanted);
    found = kept_.emplace(std::move(key), std::move(made)).first;
  }
  try {
    found->second->execute(values, take);
  } catch (const soci::soci_error&) {
    kept_.erase(found);
    throw;
  }
}

Rows Connection::execute(const std::string& sql, const std::vector<Value>& values) {
  Rows rows;
  execute(sql, values, true, [&](Row row) { rows.push_back(std::move(row)); });
  return rows;
}

void Connection::run(const std::string& sql, const std::vector<Value>& values) {
  execute(sql, values, false, [](const Row&) {});
}

void Connection::each(const std::string& sql, const std::vector<Value>& values,
                      const std::function<void(const Row&)>& take) {
  if (!engine_.gives_all_rows_at_once()) {
    execute(sql, values, true, take);
    return;
  }
  run("declare large_result no scroll cursor for " + sql, values);
  // Not kept: with the next cursor the same words have other columns.
  Statement next(session_, false, fmt::format("fetch {} from large_result", kRowsAtATime),
                 {}, true);
  std::size_t taken = 0;
  do {
    taken = 0;
    next.execute({}, [&](const Row& row) {
      take(row);
      ++taken;
    });
  } while (taken == kRowsAtATime);
  run("close large_result");
}

void Connection::roll_back() {
  try {
    plain("rollback");
  } catch (const soci::soci_error&) {
    // The database has rolled back by itself after some failures, and reports that here;
    // or the connection is gone, and the transaction with it.
  }
}

}  // namespace vantro::db
