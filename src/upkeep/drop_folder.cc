#include "upkeep/drop_folder.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <poll.h>
#include <sys/eventfd.h>
#include <sys/inotify.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/visible_name.h"
#include "crypto/checksum_list.h"

namespace vantro::upkeep {
namespace {

namespace fs = std::filesystem;
using base::Kind;

constexpr std::string_view kTrouble = ".trouble.txt";
constexpr const char* kDone = "done";
constexpr std::size_t kPiece = 256 * 1024;
constexpr std::size_t kLongestList = 16 << 20;

bool ends_with_one_of(const std::string& name, std::initializer_list<const char*> all) {
  const auto folded = base::folded(name);
  return std::any_of(all.begin(), all.end(),
                     [&](const char* one) { return folded.ends_with(one); });
}

bool is_left_alone(const std::string& name) {
  return name.starts_with('.') ||
         ends_with_one_of(name, {".part", ".partial", ".tmp", ".crdownload", ".filepart",
                                 kTrouble.data()});
}

// What lies in the folder and is a plain file.
std::vector<std::string> files_in(const std::string& path) {
  std::vector<std::string> names;
  std::error_code error;
  for (fs::directory_iterator one(path, error), end; !error && one != end;
       one.increment(error)) {
    struct stat about {};
    if (::lstat(one->path().c_str(), &about) == 0 && S_ISREG(about.st_mode)) {
      names.push_back(one->path().filename());
    }
  }
  std::sort(names.begin(), names.end());
  return names;
}

base::Outcome<std::string> read_small(const std::string& file) {
  std::ifstream in(file, std::ios::binary);
  std::string text(kLongestList + 1, '\0');
  in.read(text.data(), static_cast<std::streamsize>(text.size()));
  text.resize(static_cast<std::size_t>(in.gcount()));
  if (in.bad() || (!in.eof() && text.size() <= kLongestList)) {
    return base::refuse(Kind::kIo, "can't be read");
  }
  return text;
}

}  // namespace

DropFolder::DropFolder(gate::Gate& gate, base::Log log, Config config,
                       base::UniqueFd events, base::UniqueFd wake)
    : gate_(gate),
      log_(std::move(log)),
      config_(std::move(config)),
      events_(std::move(events)),
      wake_(std::move(wake)) {}

void DropFolder::start() {
  thread_ = std::thread([this] { run(); });
}

DropFolder::~DropFolder() {
  stopping_ = true;
  const std::uint64_t one = 1;
  [[maybe_unused]] const auto written = ::write(wake_.get(), &one, sizeof one);
  if (thread_.joinable()) thread_.join();
}

base::Outcome<std::unique_ptr<DropFolder>> DropFolder::watch(gate::Gate& gate,
                                                             base::Log log,
                                                             Config config) {
  std::error_code error;
  fs::create_directories(fs::path(config.path) / kDone, error);
  if (error) {
    return base::refuse(Kind::kIo, fmt::format("the drop folder {} can't be made: {}",
                                               config.path, error.message()));
  }
  base::UniqueFd events(::inotify_init1(IN_CLOEXEC | IN_NONBLOCK));
  base::UniqueFd wake(::eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK));
  if (!events || !wake ||
      ::inotify_add_watch(events.get(), config.path.c_str(),
                          IN_CREATE | IN_CLOSE_WRITE | IN_MODIFY | IN_MOVED_TO |
                              IN_DELETE | IN_ATTRIB | IN_ONLYDIR) < 0) {
    return base::refuse(base::system_refusal(
        errno, fmt::format("the drop folder {} can't be watched", config.path)));
  }
  return std::unique_ptr<DropFolder>(new DropFolder(
      gate, std::move(log), std::move(config), std::move(events), std::move(wake)));
}

void DropFolder::run() {
  bool waiting = true;
  while (true) {
    std::array<pollfd, 2> watched{pollfd{wake_.get(), POLLIN, 0},
                                  pollfd{events_.get(), POLLIN, 0}};
    // While something settles it is looked at again; else only when something happens.
    const auto again = std::clamp<std::int64_t>(config_.settle.count() / 4, 20, 1000);
    ::poll(watched.data(), watched.size(), waiting ? static_cast<int>(again) : -1);
    if (watched[0].revents != 0) return;
    // What happened to which file is not asked: the folder itself is looked at, so that
    // an event that was lost costs nothing.
    std::array<char, 16384> events;
    while (::read(events_.get(), events.data(), events.size()) > 0) {
    }
    waiting = look();
  }
}

bool DropFolder::look() {
  const auto names = files_in(config_.path);
  const std::set<std::string> there(names.begin(), names.end());
  std::erase_if(seen_, [&](const auto& one) { return !there.contains(one.first); });
  bool waiting = false;
  bool lists_settled = true;
  bool lists_changed = false;
  std::vector<std::string> ready;
  for (const auto& name : names) {
    if (is_left_alone(name)) continue;
    auto& seen = seen_[name];
    const auto before = seen.state();
    const bool calm = settled(name, seen);
    if (crypto::is_checksum_file_name(name)) {
      lists_changed = lists_changed || seen.state() != before;
      lists_settled = lists_settled && calm;
    } else if (calm && !seen.failed) {
      ready.push_back(name);
    }
    waiting = waiting || !calm;
  }
  if (lists_changed) {
    for (auto& [name, seen] : seen_) {
      waiting = waiting || seen.failed;
      seen.failed = false;
    }
    return waiting || !ready.empty();
  }
  if (!lists_settled) return true;
  for (const auto& name : ready) {
    if (stopping_) break;
    take(name);
  }
  return waiting;
}

bool DropFolder::settled(const std::string& name, Seen& seen) const {
  struct stat about {};
  if (::lstat(in_folder(name).c_str(), &about) != 0) return false;
  Seen now;
  now.size = static_cast<std::uint64_t>(about.st_size);
  now.changed_ns = about.st_mtim.tv_sec * 1'000'000'000 + about.st_mtim.tv_nsec;
  now.since = gate_.clock().now();
  if (now.state() != seen.state() || seen.since == base::Instant{}) {
    seen = now;
    // One that failed before a restart is not tried again for nothing.
    struct stat told {};
    const auto trouble = in_folder(name) + std::string(kTrouble);
    seen.failed = ::lstat(trouble.c_str(), &told) == 0 &&
                  (told.st_mtim.tv_sec > about.st_ctim.tv_sec ||
                   (told.st_mtim.tv_sec == about.st_ctim.tv_sec &&
                    told.st_mtim.tv_nsec >= about.st_ctim.tv_nsec));
    return false;
  }
  if (now.since - seen.since < config_.settle) return false;
  return seen.failed || !being_written(name);
}

// A read lease is refused while somebody has the file open for writing (fcntl(2)). Where
// leases are not to be had, that it has stopped growing must do.
bool DropFolder::being_written(const std::string& name) const {
  const base::UniqueFd file(
      ::open(in_folder(name).c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK));
  if (!file) return false;
  if (::fcntl(file.get(), F_SETLEASE, F_RDLCK) == 0) {
    ::fcntl(file.get(), F_SETLEASE, F_UNLCK);
    return false;
  }
  return errno == EAGAIN;
}

std::vector<std::string> DropFolder::lists_for(const std::string& name) const {
  std::vector<std::string> lists;
  for (const auto& [list, seen] : seen_) {
    if (!crypto::is_checksum_file_name(list)) continue;
    const bool own = base::folded(list).starts_with(base::folded(name) + ".");
    const auto text = own ? base::Outcome<std::string>("") : read_small(in_folder(list));
    if (own) {
      lists.push_back(list);
    } else if (text) {
      const auto parsed = crypto::parse_checksum_list(*text);
      const bool named =
          parsed && std::any_of(parsed->checksums.begin(), parsed->checksums.end(),
                                [](const auto& one) { return !one.name.empty(); });
      if (named && !parsed->of(name).empty()) lists.push_back(list);
    }
  }
  return lists;
}

base::Outcome<std::vector<repository::Claim>> DropFolder::claims_for(
    const std::string& name, const std::vector<std::string>& lists) const {
  std::vector<repository::Claim> claims;
  for (const auto& list : lists) {
    const auto text = read_small(in_folder(list));
    if (!text) {
      return base::refuse(Kind::kIo, fmt::format("'{}' {}", list, text.error().sentence));
    }
    const auto parsed = crypto::parse_checksum_list(*text);
    if (!parsed) {
      return base::refuse(parsed.error().kind,
                          fmt::format("'{}': {}", list, parsed.error().sentence));
    }
    const auto own = parsed->of(name);
    if (own.empty()) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' does not name '{}'", list, name));
    }
    for (const auto& one : own) {
      claims.push_back({one.expected, "drop folder, " + list, ""});
    }
  }
  return claims;
}

base::Outcome<std::string> DropFolder::take_in(const std::string& name,
                                               const std::vector<std::string>& lists) {
  const base::UniqueFd file(
      ::open(in_folder(name).c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW));
  if (!file) return base::refuse(base::system_refusal(errno, "it can't be read"));
  struct stat about {};
  ::fstat(file.get(), &about);
  auto claims = claims_for(name, lists);
  if (!claims) return base::refuse(claims.error());
  gate::IntakeOptions options;
  options.name = name;
  options.by = {"drop-folder"};
  options.size = static_cast<std::uint64_t>(about.st_size);
  options.claims = std::move(*claims);
  options.stop = [this] { return stopping_.load(); };
  auto intake = gate_.open_intake(std::move(options));
  if (!intake) return base::refuse(intake.error());
  base::ByteBuffer piece(kPiece);
  while (true) {
    const auto got = ::read(file.get(), piece.data(), piece.size());
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) return base::refuse(base::system_refusal(errno, "it can't be read"));
    if (got == 0) break;
    if (auto written = intake->write({piece.data(), static_cast<std::size_t>(got)});
        !written) {
      return base::refuse(written.error());
    }
  }
  const auto taken = intake->commit();
  if (!taken) {
    auto refusal = taken.error();
    if (const auto& wanted = intake->differing()) {
      refusal.sentence +=
          fmt::format("\n\nexpected  {}\ncame      {}", wanted->hex,
                      crypto::value_of(intake->digests(), wanted->algorithm));
    }
    return base::refuse(refusal);
  }
  return taken->note;
}

void DropFolder::take(const std::string& name) {
  std::error_code error;
  fs::remove(in_folder(name) + std::string(kTrouble), error);
  const auto lists = lists_for(name);
  const auto taken = take_in(name, lists);
  // Nothing is wrong with it: it is for the next start.
  if (!taken && stopping_) return;
  if (!taken) {
    write_trouble(name, base::in_full(taken.error()));
    auto& seen = seen_[name];
    seen.failed = true;
    return;
  }
  move_to_done(name);
  // A list may name others that are still to come.
  for (const auto& list : lists) {
    if (base::folded(list).starts_with(base::folded(name) + ".")) move_to_done(list);
  }
  // Not again and again, should it be impossible to move.
  std::error_code gone;
  if (fs::exists(in_folder(name), gone)) seen_[name].failed = true;
}

void DropFolder::write_trouble(const std::string& name, const std::string& why) const {
  const auto file = in_folder(name) + std::string(kTrouble);
  std::ofstream out(file, std::ios::trunc);
  out << fmt::format(
      "{} was not taken in ({}).\n\n{}\n\nIt is tried again when it or its checksum file "
      "changes, or when\nthe server starts and this text is gone.\n",
      name, base::local_time(gate_.clock().wall()), why);
  out.close();
  if (!out) {
    log_.error("trouble could not be written into the drop folder", {{"file", file}});
  }
  log_.warning("a file in the drop folder was not taken in",
               {{"name", name}, {"why", why}});
}

void DropFolder::move_to_done(const std::string& name) const {
  const auto done = config_.path + "/" + kDone + "/";
  std::error_code error;
  auto to = done + name;
  for (int i = 2; fs::exists(to, error); ++i) to = fmt::format("{}{}.{}", done, name, i);
  fs::rename(in_folder(name), to, error);
  if (error) {
    log_.error("what was taken in can't be moved aside",
               {{"name", name}, {"why", error.message()}});
  }
}

}  // namespace vantro::upkeep
