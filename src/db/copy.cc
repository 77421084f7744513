#include "db/copy.h"

#include <fmt/format.h>
#include <memory>
#include <sqlite3.h>
#include <unistd.h>

#include "db/move.h"

namespace vantro::db {
namespace {

constexpr int kPagesInARow = 2000;  // 8 MiB

struct Close {
  void operator()(sqlite3* database) const { ::sqlite3_close(database); }
};
using Opened = std::unique_ptr<sqlite3, Close>;

base::Outcome<Opened> open(const std::string& path, int flags) {
  sqlite3* raw = nullptr;
  const int code = ::sqlite3_open_v2(path.c_str(), &raw, flags, nullptr);
  Opened opened(raw);
  if (code == SQLITE_OK) return opened;
  return base::refuse(base::Kind::kIo,
                      fmt::format("{}: {}", path, ::sqlite3_errstr(code)));
}

base::Refusal failure(int code) {
  const auto kind = (code & 0xff) == SQLITE_FULL ? base::Kind::kFull : base::Kind::kIo;
  return {kind, fmt::format("the database can't be copied: {}", ::sqlite3_errstr(code))};
}

base::Outcome<void> copy_into(sqlite3* from, sqlite3* to,
                              const std::function<bool()>& go_on) {
  // Ends the read transaction here: else each commit meanwhile would begin the copy
  // again.
  int code = ::sqlite3_exec(from, "begin; select count(*) from sqlite_master", nullptr,
                            nullptr, nullptr);
  if (code != SQLITE_OK) return base::refuse(failure(code));
  auto* const backup = ::sqlite3_backup_init(to, "main", from, "main");
  if (backup == nullptr) return base::refuse(failure(::sqlite3_errcode(to)));
  bool stopped = false;
  do {
    code = ::sqlite3_backup_step(backup, kPagesInARow);
    stopped = code == SQLITE_OK && !go_on();
  } while (code == SQLITE_OK && !stopped);
  const int finished = ::sqlite3_backup_finish(backup);
  if (stopped) return base::refuse(base::Kind::kBusy, "the copy was given up");
  if (code != SQLITE_DONE) return base::refuse(failure(code));
  if (finished != SQLITE_OK) return base::refuse(failure(finished));
  return {};
}

}  // namespace

namespace {

base::Outcome<void> copy_by_rows(Database& from, const std::string& to,
                                 const std::function<bool()>& go_on) {
  auto copy = Database::open(to);
  if (!copy) return base::refuse(copy.error());
  const auto done = copy_rows(from, **copy, [&](auto, auto) { return go_on(); });
  if (!done) return base::refuse(done.error());
  return {};
}

}  // namespace

base::Outcome<void> copy_database(Database& from, const std::string& to,
                                  const std::function<bool()>& go_on) {
  if (from.shared()) {
    auto done = copy_by_rows(from, to, go_on);
    if (!done) ::unlink(to.c_str());
    return done;
  }
  const auto source = open(from.name(), SQLITE_OPEN_READONLY);
  if (!source) return base::refuse(source.error());
  const auto copy = open(to, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE);
  if (!copy) return base::refuse(copy.error());
  auto done = copy_into(source->get(), copy->get(), go_on);
  if (!done) ::unlink(to.c_str());
  return done;
}

base::Outcome<void> check_database(const std::string& path,
                                   const std::function<bool()>& go_on) {
  constexpr int kStepsInARow = 1000;
  const auto database = open(path, SQLITE_OPEN_READONLY);
  if (!database) return base::refuse(database.error());
  auto asked = go_on;
  ::sqlite3_progress_handler(
      database->get(), kStepsInARow,
      [](void* ask) {
        return (*static_cast<const std::function<bool()>*>(ask))() ? 0 : 1;
      },
      &asked);
  // All rows of its answer; only "ok" is good.
  std::string found;
  const auto row = [](void* to, int, char** values, char**) {
    *static_cast<std::string*>(to) += values[0] == nullptr ? "" : values[0];
    return 0;
  };
  const int code =
      ::sqlite3_exec(database->get(), "pragma quick_check(1)", row, &found, nullptr);
  if (code == SQLITE_INTERRUPT) {
    return base::refuse(base::Kind::kBusy, "the check was given up");
  }
  if (code == SQLITE_OK && found == "ok") return {};
  return base::refuse(base::Kind::kCorrupt,
                      fmt::format("{}: the database is damaged", path));
}

base::Outcome<void> each_recorded_content(
    const std::string& path, const std::function<void(const std::string& sha256)>& take) {
  const auto copy = open(path, SQLITE_OPEN_READONLY);
  if (!copy) return base::refuse(copy.error());
  const auto row = [](void* taker, int, char** values, char**) {
    (*static_cast<const std::function<void(const std::string&)>*>(taker))(values[0]);
    return 0;
  };
  auto taken = take;
  const int code = ::sqlite3_exec(
      copy->get(),
      "select sha256 from images where whole = 1 union select sha256 from revisions "
      "where whole = 1 and complete = 1 and sha256 is not null union select sha256 from "
      "documents where whole = 1 and removed_at is null",
      row, &taken, nullptr);
  if (code != SQLITE_OK) return base::refuse(failure(code));
  return {};
}

}  // namespace vantro::db
