#include "upkeep/drop_folder.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <poll.h>
#include <sys/eventfd.h>
#include <sys/inotify.h>
#include <unistd.h>

#include "base/mutex.h"
#include "base/visible_name.h"
#include "repository/image_changes.h"

namespace vantro::upkeep {
namespace {

using base::Kind;
using crypto::FileForm;

// inotify does not report files that another host puts into a shared folder.
constexpr int kLooksAtShared = 1000;  // milliseconds
constexpr std::string_view kTrouble = ".trouble.txt";
constexpr const char* kDone = "done";
constexpr const char* kBy = "drop-folder";
constexpr std::size_t kPiece = 256 * 1024;
constexpr std::size_t kDeepest = 8;  // folders in folders
// Files that are added at the same time: while one is looked into, another is written.
constexpr std::size_t kAtOnce = 3;

bool ends_with_one_of(const std::string& name, std::initializer_list<const char*> all) {
  const auto folded = base::folded(name);
  return std::any_of(all.begin(), all.end(),
                     [&](const char* one) { return folded.ends_with(one); });
}

// `last`: the name without folders.
bool is_left_alone(const std::string& last) {
  return last.starts_with('.') ||
         ends_with_one_of(last, {".part", ".partial", ".tmp", ".crdownload", ".filepart",
                                 kTrouble.data()});
}

// "x.img.sha256" is the list of "x.img" alone, and "SUMS.asc" the signature of "SUMS".
bool is_named_after(const std::string& name, const std::string& file) {
  return base::folded(name).starts_with(base::folded(file) + ".");
}

std::string source(const std::string& list) { return "drop folder, " + list; }

std::string folder_of(const std::string& name) {
  const auto slash = name.rfind('/');
  return slash == std::string::npos ? "" : name.substr(0, slash);
}

constexpr std::uint32_t kWatched = IN_CREATE | IN_CLOSE_WRITE | IN_MODIFY | IN_MOVED_TO |
                                   IN_DELETE | IN_ATTRIB | IN_ONLYDIR;

}  // namespace

DropFolder::DropFolder(repository::Repository& repository, gate::Gate& gate,
                       base::Log log, Config config, base::HeldFolder folder,
                       base::UniqueFd events, base::UniqueFd wake)
    : repository_(repository),
      gate_(gate),
      log_(std::move(log)),
      config_(std::move(config)),
      folder_(std::move(folder)),
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

base::Outcome<std::unique_ptr<DropFolder>> DropFolder::watch(
    repository::Repository& repository, gate::Gate& gate, base::Log log, Config config) {
  const auto cannot = [&](const std::string& why) {
    return base::refuse(
        Kind::kIo, fmt::format("the drop folder {} can't be used: {}", config.path, why));
  };
  std::error_code error;
  std::filesystem::create_directories(config.path, error);
  if (error) return cannot(error.message());
  auto folder = base::HeldFolder::open(config.path);
  if (!folder) return cannot(folder.error().sentence);
  if (auto made = folder->make_folder(kDone); !made) return cannot(made.error().sentence);
  base::UniqueFd events(::inotify_init1(IN_CLOEXEC | IN_NONBLOCK));
  base::UniqueFd wake(::eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK));
  if (!events || !wake ||
      ::inotify_add_watch(events.get(), config.path.c_str(), kWatched) < 0) {
    return cannot(base::system_refusal(errno, "it can't be watched").sentence);
  }
  return std::unique_ptr<DropFolder>(new DropFolder(repository, gate, std::move(log),
                                                    std::move(config), std::move(*folder),
                                                    std::move(events), std::move(wake)));
}

void DropFolder::run() {
  bool waiting = true;
  while (true) {
    std::array<pollfd, 2> watched{pollfd{wake_.get(), POLLIN, 0},
                                  pollfd{events_.get(), POLLIN, 0}};
    // While a file may still grow it checks again; else only after an event.
    const auto again = std::clamp<std::int64_t>(config_.settle.count() / 4, 20, 1000);
    const bool alone = repository_.nodes.alone();
    ::poll(watched.data(), watched.size(),
           waiting ? static_cast<int>(again)
           : alone ? -1
                   : kLooksAtShared);
    if (watched[0].revents != 0) return;
    // It does not matter which file an event is about: the folder itself is read, so a
    // lost event costs nothing.
    std::array<char, 16384> events;
    while (::read(events_.get(), events.data(), events.size()) > 0) {
    }
    waiting = repository_.nodes.take(repository::work::kDropFolder) && look();
  }
}

DropFolder::Names DropFolder::all_files() {
  Names files;
  std::set<std::string> folders;
  others_ = 0;
  std::vector<std::pair<std::string, std::size_t>> left{{"", 0}};
  while (!left.empty()) {
    const auto [folder, depth] = left.back();
    left.pop_back();
    const auto found = folder_.list(folder);
    if (!found) continue;  // it is gone, or not readable for us
    others_ += found->others;
    const auto prefix = folder.empty() ? "" : folder + "/";
    for (const auto& one : found->files) files.push_back(prefix + one);
    for (const auto& one : found->folders) {
      const bool skip =
          one.starts_with('.') || depth == kDeepest || prefix + one == kDone;
      if (skip) continue;
      left.emplace_back(prefix + one, depth + 1);
      folders.insert(prefix + one);
      // A watch ends with its folder, which may have come back. Where the path leads now
      // does not matter: an event only makes us look.
      ::inotify_add_watch(events_.get(), (config_.path + "/" + prefix + one).c_str(),
                          kWatched);
    }
  }
  watched_ = std::move(folders);
  std::sort(files.begin(), files.end());
  return files;
}

bool DropFolder::look() {
  const auto watched_before = watched_;
  const auto names = all_files();
  // A file that came into a new folder before it was watched is seen the next time.
  bool waiting = watched_ != watched_before;
  std::set<std::string> changed_lists;
  const std::set<std::string> there(names.begin(), names.end());
  for (auto& [name, seen] : seen_) {
    if (!there.contains(name) && seen.list) changed_lists.insert(name);
  }
  std::erase_if(seen_, [&](const auto& one) { return !there.contains(one.first); });
  bool lists_settled = true;
  Names images;
  Names lists;
  for (const auto& name : names) {
    if (is_left_alone(std::string(base::last_part(name)))) continue;
    auto& seen = seen_[name];
    const bool calm = settled(name, seen);
    waiting = waiting || !calm;
    if (!calm) {
      // Waits for lists, so that no image is added without its own.
      lists_settled =
          lists_settled && crypto::form_by_name(name) != FileForm::kChecksumList;
      continue;
    }
    const bool fresh = !seen.form;
    if (fresh) classify(name, seen);
    if (seen.form == FileForm::kChecksumList) {
      if (fresh) lists.push_back(name);
    } else if (seen.form == FileForm::kOther && !seen.failed) {
      images.push_back(name);
    }
  }
  for (const auto& name : lists) {
    changed_lists.insert(name);
    if (!stopping_ && !seen_[name].failed) use_list(name, seen_[name]);
  }
  for (auto& [name, seen] : seen_) {
    if (!seen.failed || seen.form != FileForm::kOther) continue;
    const auto& file = name;
    const auto& failed_with = seen.lists;
    const bool again = std::any_of(
        changed_lists.begin(), changed_lists.end(), [&](const std::string& list) {
          const auto now = seen_.find(list);
          const bool names_it = now != seen_.end() && now->second.list &&
                                folder_of(list) == folder_of(file) &&
                                !now->second.list->of(file).empty();
          return failed_with.contains(list) || names_it || is_named_after(list, file);
        });
    if (!again) continue;
    seen.failed = false;
    images.push_back(name);
  }
  if (lists_settled) add_images(images);
  const bool something = !images.empty() || !lists.empty();
  if (something && !stopping_) put_lists_aside();
  say_troubles();
  return waiting || (!lists_settled && !images.empty());
}

bool DropFolder::settled(const std::string& name, Seen& seen) {
  const auto state = folder_.look(name);
  if (!state) return true;  // gone again
  const auto now = gate_.clock().now();
  if (seen.since == base::Instant{} || state->size != seen.state.size ||
      state->modified_ns != seen.state.modified_ns) {
    const bool first = seen.since == base::Instant{};
    seen = {};
    seen.state = *state;
    seen.since = now;
    // One that failed before a restart is not tried again for nothing.
    seen.failed = first && failed_before(name, *state);
    return false;
  }
  if (seen.form) return true;
  if (now - seen.since < config_.settle) return false;
  return seen.failed || !being_written(name);
}

bool DropFolder::failed_before(const std::string& name,
                               const base::FileState& state) const {
  const auto told = folder_.look(name + std::string(kTrouble));
  return told && told->modified_ns >= state.changed_ns;
}

// A read lease is refused while another program has the file open for writing (fcntl(2)).
// Where leases are not available, it is enough that it has stopped growing.
bool DropFolder::being_written(const std::string& name) const {
  const auto file = folder_.open_file(name);
  if (!file) return false;
  if (::fcntl(file->get(), F_SETLEASE, F_RDLCK) == 0) {
    ::fcntl(file->get(), F_SETLEASE, F_UNLCK);
    return false;
  }
  return errno == EAGAIN;
}

void DropFolder::classify(const std::string& name, Seen& seen) const {
  seen.form = FileForm::kOther;
  if (seen.state.size > crypto::kLongestList) return;
  const auto text = folder_.read(name, crypto::kLongestList);
  if (!text) return;  // adding it will give the reason
  seen.form = crypto::form_of(*text);
  const bool list = seen.form == FileForm::kChecksumList ||
                    (seen.form == FileForm::kOther &&
                     crypto::form_by_name(name) == FileForm::kChecksumList);
  if (!list) return;
  seen.form = FileForm::kChecksumList;
  if (auto parsed = crypto::parse_checksum_list(*text)) seen.list = std::move(*parsed);
}

DropFolder::Names DropFolder::lists_for(const std::string& name) const {
  Names lists;
  for (const auto& [list, seen] : seen_) {
    if (seen.form != FileForm::kChecksumList || folder_of(list) != folder_of(name)) {
      continue;
    }
    const bool named =
        seen.list && std::any_of(seen.list->checksums.begin(), seen.list->checksums.end(),
                                 [](const auto& one) { return !one.name.empty(); });
    const bool names_it = named && !seen.list->of(name).empty();
    if (is_named_after(list, name) || names_it) lists.push_back(list);
  }
  return lists;
}

base::Outcome<std::vector<repository::Claim>> DropFolder::claims_for(
    const std::string& name, const Names& lists) const {
  std::vector<repository::Claim> claims;
  for (const auto& list : lists) {
    const auto& held = seen_.at(list).list;
    if (!held) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is not a readable checksum list", list));
    }
    const auto own = held->of(name);
    if (own.empty()) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' does not name '{}'", list, name));
    }
    for (const auto& one : own) claims.push_back({one.expected, source(list), ""});
  }
  return claims;
}

void DropFolder::use_list(const std::string& name, Seen& seen) {
  (void)folder_.remove(name + std::string(kTrouble));
  if (!seen.list) {
    write_trouble(
        name,
        "It has the name of a checksum list, but no line has a checksum and a name.");
    return;
  }
  const auto results =
      repository::compare_with_list(repository_, kBy, source(name), name, *seen.list);
  if (!results) return write_trouble(name, base::in_full(results.error()));
  std::string differing;
  for (const auto& one : *results) {
    if (one.agrees) continue;
    differing += fmt::format(
        "'{}' was added before, and its {} differs from this list: "
        "it is not handed out.\n",
        one.image, crypto::title(one.algorithm));
  }
  if (!differing.empty()) write_trouble(name, differing);
}

bool DropFolder::all_added(const std::string& list_name,
                           const crypto::ChecksumList& list) const {
  const auto prefix = folder_of(list_name).empty() ? "" : folder_of(list_name) + "/";
  return std::all_of(list.checksums.begin(), list.checksums.end(), [&](const auto& one) {
    const auto file = one.name.empty() ? list_name.substr(0, list_name.rfind('.'))
                                       : prefix + std::string(base::last_part(one.name));
    const auto image = repository_.catalog.named(file);
    return image && *image && (*image)->taken_in_by == kBy && !seen_.contains(file);
  });
}

base::Outcome<std::string> DropFolder::take_in(const Candidate& candidate) {
  const auto file = folder_.open_file(candidate.name);
  if (!file) return base::refuse(file.error());
  if (!candidate.claims) return base::refuse(candidate.claims.error());
  gate::IntakeOptions options;
  options.name = candidate.name;
  options.by = {kBy};
  options.size = candidate.size;
  options.claims = *candidate.claims;
  options.stop = [this] { return stopping_.load(); };
  auto intake = gate_.open_intake(std::move(options));
  if (!intake) return base::refuse(intake.error());
  base::ByteBuffer piece(kPiece);
  while (true) {
    const auto got = ::read(file->get(), piece.data(), piece.size());
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
          fmt::format("\n\nexpected  {}\nreceived  {}", wanted->hex,
                      crypto::value_of(intake->digests(), wanted->algorithm));
    }
    return base::refuse(refusal);
  }
  return taken->note;
}

void DropFolder::add_images(const Names& names) {
  std::vector<Candidate> candidates;
  candidates.reserve(names.size());
  for (const auto& name : names) {
    auto lists = lists_for(name);
    auto claims = claims_for(name, lists);
    candidates.push_back(
        {name, std::move(lists), seen_.at(name).state.size, std::move(claims)});
  }
  std::atomic<std::size_t> next = 0;
  base::Mutex one_at_a_time;
  const auto add = [&] {
    while (!stopping_) {
      const auto at = next++;
      if (at >= candidates.size()) return;
      (void)folder_.remove(candidates[at].name + std::string(kTrouble));
      const auto taken = take_in(candidates[at]);
      const base::Lock lock(one_at_a_time);
      was_added(candidates[at], taken);
    }
  };
  std::vector<std::jthread> others;
  while (others.size() + 1 < std::min(kAtOnce, names.size())) others.emplace_back(add);
  add();
}

void DropFolder::was_added(const Candidate& candidate,
                           const base::Outcome<std::string>& taken) {
  // It has no problem: it is for the next start.
  if (!taken && stopping_) return;
  if (!taken) {
    seen_[candidate.name].lists = {candidate.lists.begin(), candidate.lists.end()};
    return write_trouble(candidate.name, base::in_full(taken.error()));
  }
  move_to_done(candidate.name);
}

void DropFolder::put_lists_aside() {
  Names done;
  for (const auto& [name, seen] : seen_) {
    if (seen.list && !seen.failed && all_added(name, *seen.list)) done.push_back(name);
  }
  for (const auto& name : done) move_to_done(name);
}

void DropFolder::write_trouble(const std::string& name, const std::string& why) {
  seen_[name].failed = true;
  const auto written = folder_.write(
      name + std::string(kTrouble),
      fmt::format("{} was not added ({}).\n\n{}\n\nIt is tried again when it or its "
                  "checksum list changes, or when\nthe server starts and this text is "
                  "gone.\n",
                  name, base::local_time(gate_.clock().wall()), why));
  if (!written) {
    log_.error("trouble could not be written into the drop folder",
               {{"name", name}, {"why", written.error().sentence}});
  }
  log_.warning("a file in the drop folder was not added", {{"name", name}, {"why", why}});
}

void DropFolder::move_to_done(const std::string& name) {
  const auto aside = std::string(kDone) + "/" + name;
  auto moved = folder_.make_folder(folder_of(aside));
  if (moved) {
    moved = folder_.move(name, aside);
    for (int i = 2; !moved && moved.error().kind == Kind::kExists; ++i) {
      moved = folder_.move(name, fmt::format("{}.{}", aside, i));
    }
  }
  if (!moved) {
    log_.error("an added file can't be moved to done/",
               {{"name", name}, {"why", moved.error().sentence}});
    // Not again and again.
    seen_[name].failed = true;
    return;
  }
  seen_.erase(name);
  Names signatures;
  for (const auto& [other, seen] : seen_) {
    const bool signature = seen.form == FileForm::kSignature;
    if (signature && is_named_after(other, name)) signatures.push_back(other);
  }
  for (const auto& signature : signatures) move_to_done(signature);
}

void DropFolder::say_troubles() const {
  constexpr std::size_t kMostNamed = 5;
  std::vector<std::string> names;
  for (const auto& [name, seen] : seen_) {
    if (seen.failed) names.push_back("'" + base::printable(name, 80) + "'");
  }
  std::vector<std::string> sentences;
  if (!names.empty()) {
    const auto more = names.size() > kMostNamed ? names.size() - kMostNamed : 0;
    names.resize(names.size() - more);
    sentences.push_back(
        fmt::format("not added from the drop folder {}: {}{}; NAME.trouble.txt there "
                    "says why",
                    config_.path, fmt::join(names, ", "),
                    more == 0 ? "" : fmt::format(" and {} more", more)));
  }
  if (others_ > 0) {
    sentences.push_back(fmt::format(
        "the drop folder {} has links, pipes or devices ({}); only files are added",
        config_.path, others_));
  }
  repository_.troubles.set(kBy, std::move(sentences));
}

}  // namespace vantro::upkeep
