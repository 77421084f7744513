#include "client/answers.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/clock.h"
#include "base/visible_name.h"
#include "base/whole_file.h"
#include "client/render.h"
#include "crypto/digests.h"
#include "crypto/signature.h"

namespace vantro::client {

void JsonList::add(const std::string& item) {
  std::string text = any_ ? ",\n    " : "{\n  \"" + name_ + "\": [\n    ";
  any_ = true;
  for (const char c : api::indented(item)) {
    text += c;
    if (c == '\n') text += "    ";
  }
  terminal_.write_json(text);
}

void JsonList::end() {
  terminal_.write_json(any_ ? "\n  ]\n}\n" : "{\n  \"" + name_ + "\": []\n}\n");
}

void write_or(const Table& table, const Terminal& terminal, const std::string& if_empty) {
  if (table.empty()) {
    terminal.write(if_empty + "\n");
  } else {
    table.write(terminal);
  }
}

void write_digests(const Terminal& terminal, const api::Digests& digests) {
  terminal.write(
      fmt::format("  MD5      {}\n  SHA-1    {}\n  SHA-256  {}\n  SHA-512  {}\n",
                  digests.md5, digests.sha1, digests.sha256, digests.sha512));
}

tl::unexpected<Failure> file_failure(const std::string& file, int error_number) {
  return tl::unexpected(
      Failure{ExitCode::kFile, fmt::format("{}: {}", file, std::strerror(error_number))});
}

Result<std::string> iso_of(const std::string& typed) {
  if (base::folded(typed) == "ever") return std::string();
  const auto time = base::parse_time(typed, base::SystemClock{}.wall());
  if (!time) {
    return wrong_use(
        fmt::format("'{}' is not a time: write \"2026-11-24 06:00\", or a span "
                    "such as 4h or 3d, or ever",
                    shown(typed)));
  }
  return base::iso_time(*time);
}

Result<std::string> past_iso(const std::string& typed) {
  const auto now = base::SystemClock{}.wall();
  const auto time = base::parse_time(typed, now);
  if (!time) {
    return wrong_use(
        fmt::format("'{}' is not a time such as \"2026-11-23 22:00\", and not a "
                    "span such as 24h or 7d",
                    base::printable(typed, 60)));
  }
  const bool span = typed.find('-') == std::string::npos && !typed.empty() &&
                    typed.back() >= 'a' && typed.back() <= 'z';
  return base::iso_time(span ? 2 * now - *time : *time);
}

tl::unexpected<Failure> wrong_use(std::string sentence) {
  return tl::unexpected(Failure{ExitCode::kUsage, std::move(sentence)});
}

Result<OpenedFile> open_file(const std::string& file) {
  OpenedFile opened{base::UniqueFd(::open(file.c_str(), O_RDONLY | O_CLOEXEC)), 0};
  if (!opened.fd) return file_failure(file, errno);
  struct stat found {};
  if (::fstat(opened.fd.get(), &found) != 0) return file_failure(file, errno);
  if (S_ISDIR(found.st_mode)) return file_failure(file, EISDIR);
  if (!S_ISREG(found.st_mode)) {
    return tl::unexpected(Failure{ExitCode::kFile, file + ": is not a regular file"});
  }
  opened.size = static_cast<std::uint64_t>(found.st_size);
  return opened;
}

Result<std::string> read_text(const std::string& file, std::size_t most) {
  base::UniqueFd opened;
  if (file != "-") {
    opened.reset(::open(file.c_str(), O_RDONLY | O_CLOEXEC));
    if (!opened) return file_failure(file, errno);
  }
  std::string text;
  std::string piece(64 * 1024, '\0');
  while (true) {
    const auto got =
        ::read(file == "-" ? STDIN_FILENO : opened.get(), piece.data(), piece.size());
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) return file_failure(file, errno);
    if (got == 0) return text;
    text.append(piece, 0, static_cast<std::size_t>(got));
    if (text.size() > most) return file_failure(file, EFBIG);
  }
}

Result<std::string> read_proof(const std::string& file) {
  auto bytes = read_text(file);
  if (!bytes) return bytes;
  auto text = crypto::as_text(std::move(*bytes));
  if (!text) return wrong_use(file + ": " + text.error().sentence);
  return *text;
}

Done save(const ApiClient& api, const std::string& target, const std::string& file,
          bool force, const Recorded& recorded) {
  const bool to_stdout = file == "-";
  const auto beside = file + ".part";
  base::UniqueFd opened;
  if (!to_stdout) {
    if (!force && ::access(file.c_str(), F_OK) == 0) {
      return tl::unexpected(Failure{
          ExitCode::kFile,
          fmt::format("{} exists; give another file with --to, or --force to write "
                      "over it",
                      file)});
    }
    opened.reset(::open(beside.c_str(),
                        O_WRONLY | O_CREAT | O_TRUNC | O_NOFOLLOW | O_CLOEXEC, 0600));
    if (!opened) return file_failure(beside, errno);
  }
  const int fd = to_stdout ? STDOUT_FILENO : opened.get();
  crypto::Digester digester;
  std::uint64_t size = 0;
  int write_error = 0;
  const auto done = api.download(target, [&](base::ByteView bytes) {
    digester.update(bytes);
    size += bytes.size();
    if (base::write_all(fd, bytes)) return true;
    write_error = errno;
    return false;
  });
  const auto give_up = [&](Failure failure) {
    if (!to_stdout) ::unlink(beside.c_str());
    return tl::unexpected(std::move(failure));
  };
  if (!done) return give_up(done.error());
  if (write_error != 0) return give_up(file_failure(file, write_error).value());
  const auto digests = digester.finish();
  const bool same = recorded.sha256.empty() || digests.sha256 == recorded.sha256;
  if ((recorded.size && size != *recorded.size) || !same) {
    return give_up({ExitCode::kChecksum,
                    fmt::format("what came is not what is on record; nothing was saved\n"
                                "  recorded  {}\n  came      {}",
                                recorded.sha256.empty() ? "(partial)" : recorded.sha256,
                                digests.sha256)});
  }
  if (to_stdout) return {};
  if (::fsync(fd) != 0 || ::rename(beside.c_str(), file.c_str()) != 0) {
    return give_up(file_failure(file, errno).value());
  }
  return {};
}

}  // namespace vantro::client
