#include "daemon/database_place.h"

#include <chrono>
#include <filesystem>
#include <fmt/format.h>
#include <iostream>
#include <unistd.h>

#include "base/clock.h"
#include "base/percent.h"
#include "crypto/secret.h"
#include "daemon/command_line.h"
#include "daemon/database_settings.h"
#include "daemon/private_file.h"
#include "db/move.h"
#include "repository/repository.h"

namespace vantro::daemon {
namespace {

using base::Kind;

constexpr std::chrono::seconds kTellsEvery{1};
constexpr const char* kFile = "file";

// With its journal.
void remove_file(const std::string& file) {
  std::error_code ignored;
  for (const auto* part : {"", "-wal", "-shm"}) {
    std::filesystem::remove(file + part, ignored);
  }
}

// The file is kept: it is the way back, and is not used by mistake.
base::Outcome<std::string> put_aside(const std::string& file, base::WallTime now) {
  const auto aside = fmt::format("{}.moved-{}", file, now);
  std::error_code error;
  std::filesystem::rename(file, aside, error);
  if (error) return base::refuse(base::system_refusal(error.value(), file));
  // Of a file that was closed: nothing is in them any more.
  for (const auto* part : {"-wal", "-shm"}) std::filesystem::remove(file + part, error);
  return aside;
}

struct Done {
  db::Moved moved;
  std::string from;
  std::string to;
  std::string aside;  // the old file; empty: it was not one
};

base::Outcome<Done> move(const Settings& settings, const std::string& from,
                         const std::string& to, const base::Log& log,
                         const db::MoveProgress& progress) {
  // Holds the folder's lock: no vantrod runs on it meanwhile.
  auto folder = store::StateFolder::open(settings.state);
  if (!folder) return base::refuse(folder.error());
  if (from == to) {
    return base::refuse(Kind::kInvalid,
                        "that is where everything is recorded already; "
                        "nothing was changed");
  }
  const auto file = folder->database();
  const bool makes_file = to.empty() && !std::filesystem::exists(file);
  Done done;
  {
    auto source = repository::Repository::open_database(*folder, {from, false}, log);
    if (!source) return base::refuse(source.error());
    auto target = db::Database::open(to.empty() ? file : to);
    if (!target) return base::refuse(target.error());
    done.from = (*source)->name();
    done.to = (*target)->name();
    auto moved = db::copy_rows(**source, **target, progress);
    if (!moved) {
      target->reset();
      if (makes_file) remove_file(file);
      return base::refuse(moved.error());
    }
    done.moved = *moved;
    // From here on the old one is behind the vault, and no vantrod starts with it.
    if (auto noted = folder->identity().write((*target)->identity()); !noted) {
      return base::refuse(noted.error());
    }
  }
  if (!from.empty()) return done;
  auto aside = put_aside(file, base::SystemClock{}.wall());
  if (!aside) return base::refuse(aside.error());
  done.aside = *aside;
  return done;
}

}  // namespace

base::Outcome<std::string> database_place(const DatabaseSettings& settings) {
  if (settings.url.empty() || settings.password_file.empty()) return settings.url;
  auto text = read_private_file(settings.password_file, "a password");
  if (!text) {
    return base::refuse(text.error().kind,
                        "database.password_file: " + text.error().sentence);
  }
  text->resize(std::min(text->find_first_of("\r\n"), text->size()));
  const auto place = fmt::format("{}{}password={}", settings.url,
                                 settings.url.find('?') == std::string::npos ? "?" : "&",
                                 base::percent_encoded(*text));
  crypto::wipe(*text);
  return place;
}

int move_database(const Settings& settings, const std::string& destination,
                  const base::Log& log) {
  auto target = settings.database;
  target.url = destination == kFile ? "" : destination;
  if (!target.url.empty()) {
    if (const auto sound = check_database_url(target.url); !sound) {
      return fail("--move-database: " + sound.error().sentence, kUsage);
    }
  }
  const auto from = database_place(settings.database);
  if (!from) return fail(from.error().sentence, kUsage);
  const auto to = database_place(target);
  if (!to) return fail(to.error().sentence, kUsage);
  const bool terminal = ::isatty(STDERR_FILENO) != 0;
  auto told_at = std::chrono::steady_clock::now();
  const auto done = move(settings, *from, *to, log, [&](auto rows, auto of) {
    const auto now = std::chrono::steady_clock::now();
    if (now - told_at < kTellsEvery) return true;
    told_at = now;
    std::cerr << fmt::format("{}{} % copied and compared{}", terminal ? "\r" : "",
                             of == 0 ? 100 : rows * 100 / of, terminal ? "  " : "\n")
              << std::flush;
    return true;
  });
  if (terminal) std::cerr << '\n';
  if (!done) return fail(done.error().sentence, kFailed);
  std::cout << fmt::format(
      "{} rows of {} tables are now in the {}{}. Each was compared with its copy.\n",
      done->moved.rows, done->moved.tables, target.url.empty() ? "file " : "", done->to);
  std::cout << (target.url.empty()
                    ? std::string("Remove database.url from the settings, and start "
                                  "vantrod.\n")
                    : fmt::format("Set this in the settings, and start vantrod:\n"
                                  "[database]\nurl = \"{}\"\n",
                                  target.url));
  if (!done->aside.empty()) {
    std::cout << fmt::format("The old file was kept as {}.\n", done->aside);
  } else {
    std::cout << fmt::format("The {} was not changed, and is not used any more.\n",
                             done->from);
  }
  return kDone;
}

}  // namespace vantro::daemon
