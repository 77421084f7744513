#include "ledger/waiting_file.h"

#include <cerrno>
#include <fcntl.h>
#include <filesystem>
#include <fstream>
#include <optional>
#include <string_view>
#include <sys/stat.h>
#include <unistd.h>

#include "base/bytes.h"
#include "base/numbers.h"
#include "base/unique_fd.h"
#include "base/whole_file.h"
#include "crypto/secret.h"

namespace vantro::ledger {
namespace {

// Not a row: it has no tab.
constexpr std::string_view kId = "file ";

bool sync_folder_of(const std::string& path) {
  const base::UniqueFd folder(::open(std::filesystem::path(path).parent_path().c_str(),
                                     O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  return folder && ::fsync(folder.get()) == 0;
}

void add_field(std::string& line, const std::string& value) {
  if (!line.empty()) line += '\t';
  for (const char c : value) {
    switch (c) {
      case '\\':
        line += "\\\\";
        break;
      case '\t':
        line += "\\t";
        break;
      case '\n':
        line += "\\n";
        break;
      default:
        line += c;
    }
  }
}

std::string line_of(const Entry& entry) {
  std::string line;
  for (const auto& value :
       {std::to_string(entry.at), entry.event, entry.actor, entry.from, entry.device,
        entry.protocol, entry.heard_on, entry.account, entry.name, entry.sha256,
        std::to_string(entry.bytes),
        entry.total ? std::to_string(*entry.total) : std::string(),
        std::to_string(entry.duration_ms), std::to_string(entry.resent), entry.outcome,
        entry.sentence, entry.request}) {
    add_field(line, value);
  }
  return line;
}

std::vector<std::string> fields_of(const std::string& line) {
  std::vector<std::string> fields(1);
  for (std::size_t i = 0; i < line.size(); ++i) {
    if (line[i] == '\t') {
      fields.emplace_back();
    } else if (line[i] == '\\' && i + 1 < line.size()) {
      const char next = line[++i];
      fields.back() += next == 't' ? '\t' : next == 'n' ? '\n' : '\\';
    } else {
      fields.back() += line[i];
    }
  }
  return fields;
}

std::uint64_t number(const std::string& text) {
  return static_cast<std::uint64_t>(base::parse_number<std::int64_t>(text).value_or(0));
}

// Nothing: it is malformed.
std::optional<Entry> entry_of(const std::string& line) {
  constexpr std::size_t kFields = 17;
  auto fields = fields_of(line);
  if (fields.size() != kFields) return std::nullopt;
  auto at = fields.begin();
  Entry entry;
  entry.at = static_cast<base::WallTime>(number(*at++));
  for (auto* text :
       {&entry.event, &entry.actor, &entry.from, &entry.device, &entry.protocol,
        &entry.heard_on, &entry.account, &entry.name, &entry.sha256}) {
    *text = std::move(*at++);
  }
  entry.bytes = number(*at++);
  if (!at->empty()) entry.total = number(*at);
  ++at;
  entry.duration_ms = static_cast<std::int64_t>(number(*at++));
  entry.resent = number(*at++);
  for (auto* text : {&entry.outcome, &entry.sentence, &entry.request}) {
    *text = std::move(*at++);
  }
  return entry;
}

}  // namespace

WaitingFile::WaitingFile(std::string path) : path_(std::move(path)) {
  if (path_.empty()) return;
  std::string first;
  std::ifstream in(path_, std::ios::binary);
  if (std::getline(in, first) && first.starts_with(kId)) id_ = first.substr(kId.size());
  // Of the previous server.
  static_cast<void>(each(1000, [this](const auto& entries) -> base::Outcome<void> {
    rows_ += entries.size();
    return {};
  }));
}

bool WaitingFile::append(std::span<const Entry> entries) {
  if (path_.empty()) return false;
  const base::UniqueFd file(
      ::open(path_.c_str(), O_RDWR | O_CREAT | O_APPEND | O_CLOEXEC | O_NOFOLLOW, 0600));
  struct stat before {};
  if (!file || ::fstat(file.get(), &before) != 0) return false;
  std::string text;
  if (before.st_size == 0) {
    id_ = crypto::random_hex(8);
    text = std::string(kId) + id_ + '\n';
  } else if (char last = 0;
             ::pread(file.get(), &last, 1, before.st_size - 1) != 1 || last != '\n') {
    text = "\n";  // behind half a line of an interrupted write
  }
  for (const auto& one : entries) text += line_of(one) + '\n';
  const auto size = static_cast<std::uint64_t>(before.st_size);
  const bool fits = size + text.size() <= kMost;
  if (fits && base::write_all(file.get(), base::as_bytes(text)) &&
      ::fsync(file.get()) == 0 && (before.st_size > 0 || sync_folder_of(path_))) {
    rows_ += entries.size();
    return true;
  }
  // Without half a line, if possible; else it is left out when the file is read.
  const int cut = ::ftruncate(file.get(), before.st_size);
  static_cast<void>(cut);
  return false;
}

base::Outcome<void> WaitingFile::each(
    std::size_t most,
    const std::function<base::Outcome<void>(const std::vector<Entry>&)>& take) const {
  std::ifstream in(path_, std::ios::binary);
  std::vector<Entry> entries;
  const auto give = [&]() -> base::Outcome<void> {
    if (entries.empty()) return {};
    auto taken = take(entries);
    entries.clear();
    return taken;
  };
  for (std::string line; std::getline(in, line) && !in.eof();) {
    if (auto entry = entry_of(line)) entries.push_back(std::move(*entry));
    if (entries.size() < most) continue;
    if (auto given = give(); !given) return given;
  }
  return give();
}

void WaitingFile::remove() {
  if (!path_.empty()) ::unlink(path_.c_str());
  id_.clear();
  rows_ = 0;
}

}  // namespace vantro::ledger
