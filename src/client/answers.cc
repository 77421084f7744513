#include "client/answers.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <iostream>
#include <sys/stat.h>
#include <unistd.h>

#include "base/clock.h"
#include "base/sizes.h"
#include "base/typed_time.h"
#include "base/visible_name.h"
#include "base/whole_file.h"
#include "client/interrupt.h"
#include "client/progress.h"
#include "client/render.h"
#include "crypto/digests.h"
#include "crypto/signature.h"
#include "text/csv.h"
#include "text/nearest.h"

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
    if (table.has_columns_of(terminal)) terminal.write(if_empty + "\n");
  } else {
    table.write(terminal);
  }
}

std::string digest_text(const std::string& hex) {
  return hex.empty() ? "still being computed" : hex;
}

void write_digests(const Terminal& terminal, const api::Digests& digests) {
  terminal.write(
      fmt::format("  MD5      {}\n  SHA-1    {}\n  SHA-256  {}\n  SHA-512  {}\n",
                  digest_text(digests.md5), digest_text(digests.sha1), digests.sha256,
                  digest_text(digests.sha512)));
}

tl::unexpected<Failure> file_failure(const std::string& file, int error_number) {
  return tl::unexpected(
      Failure{ExitCode::kFile, fmt::format("{}: {}", file, std::strerror(error_number))});
}

namespace {

Result<std::string> typed_iso(const Context& context, const std::string& typed,
                              base::Lies lies) {
  const auto time = base::parse_typed_time(typed, base::SystemClock{}.wall(), lies);
  if (!time) {
    return wrong_use(fmt::format(
        "'{}' is not a time; examples: 22:00, yesterday, \"2026-11-27 22:00\", "
        "4h, \"3 days ago\"; 'vantro help times' has them all",
        base::printable(typed, 60)));
  }
  const auto understood = base::local_time(*time);
  if (!understood.starts_with(typed) && !context.view.for_programs()) {
    Terminal(stderr).write(fmt::format("'{}' is {}\n", shown(typed, 60), understood));
  }
  return base::iso_time(*time);
}

}  // namespace

Result<std::string> iso_of(const Context& context, const std::string& typed) {
  if (base::folded(typed) == "ever") return std::string();
  return typed_iso(context, typed, base::Lies::kAfter);
}

Result<std::string> past_iso(const Context& context, const std::string& typed) {
  return typed_iso(context, typed, base::Lies::kBefore);
}

Result<std::int64_t> time_until(const std::string& typed) {
  const auto now = base::SystemClock{}.wall();
  const auto time = base::parse_typed_time(typed, now, base::Lies::kAfter);
  if (!time || *time <= now) {
    return wrong_use(fmt::format(
        "--until: '{}' is not a time ahead; examples: 30m, 02:00", shown(typed, 60)));
  }
  return (*time - now + 500) / 1000;
}

Done ask_first(const Context& context, bool yes, const std::string& question) {
  if (yes) return {};
  const bool answerable = ::isatty(STDIN_FILENO) == 1 && !context.view.for_programs();
  if (!answerable) return wrong_use(question + " Say so with --yes; nothing was changed");
  const Terminal terminal(stderr);
  terminal.write(question + " [y/N] ");
  std::string answer;
  std::getline(std::cin, answer);
  if (answer == "y" || answer == "Y" || base::folded(answer) == "yes") return {};
  return wrong_use("nothing was changed");
}

namespace {

// The place of a field in the rows; the heads of tables are accepted, too.
Result<std::size_t> place_of(const api::Rows& rows, std::string name) {
  name = base::folded(name);
  std::replace(name.begin(), name.end(), '-', '_');
  const auto found = std::find(rows.names.begin(), rows.names.end(), name);
  if (found != rows.names.end()) {
    return static_cast<std::size_t>(found - rows.names.begin());
  }
  return wrong_use(unknown_column(name, rows.names));
}

}  // namespace

Done show_rows(const Terminal& terminal, const View& view, const api::Rows& rows) {
  auto sorted = rows.rows;
  if (!view.sort.empty()) {
    const auto by = place_of(rows, view.sort);
    if (!by) return tl::unexpected(by.error());
    std::stable_sort(sorted.begin(), sorted.end(), [&](const auto& a, const auto& b) {
      return compare_cells(a.values[*by], b.values[*by]) < 0;
    });
  }
  if (view.reverse) std::reverse(sorted.begin(), sorted.end());
  if (view.json_lines) {
    for (const auto& one : sorted) terminal.write_json(one.json + "\n");
    return {};
  }
  std::vector<std::size_t> columns;
  for (const auto& name : comma_list(view.columns)) {
    const auto at = place_of(rows, name);
    if (!at) return tl::unexpected(at.error());
    columns.push_back(*at);
  }
  if (columns.empty()) {
    for (std::size_t i = 0; i < rows.names.size(); ++i) columns.push_back(i);
  }
  const auto line = [&](const std::vector<std::string>& values) {
    std::vector<std::string> fields;
    for (const auto i : columns) fields.push_back(text::no_formula(values[i]));
    terminal.write(text::csv_line(fields));
  };
  line(rows.names);
  for (const auto& one : sorted) line(one.values);
  return {};
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

Done save(const Context& context, const std::string& target, const std::string& file,
          bool force, const Recorded& recorded) {
  const bool to_stdout = file == "-";
  const auto beside = file + ".part";
  base::UniqueFd opened;
  if (!to_stdout) {
    if (!force && ::access(file.c_str(), F_OK) == 0) {
      return tl::unexpected(
          Failure{ExitCode::kFile,
                  fmt::format("{} exists; give another file with --out, or --force to "
                              "overwrite it",
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
  notice_interrupts();
  std::optional<Progress> bar(std::in_place, context.view,
                              shown(std::string(base::last_part(file)), 40),
                              recorded.size.value_or(0));
  const auto done = context.api.download(target, [&](base::ByteView bytes) {
    if (interrupted()) return false;
    digester.update(bytes);
    bar->advance(size += bytes.size());
    if (base::write_all(fd, bytes)) return true;
    write_error = errno;
    return false;
  });
  const auto give_up = [&](Failure failure) {
    if (!to_stdout) ::unlink(beside.c_str());
    return tl::unexpected(std::move(failure));
  };
  bar.reset();
  if (interrupted()) {
    return give_up(
        {ExitCode::kRefused,
         fmt::format("interrupted after {}; nothing was saved", base::size_text(size))});
  }
  if (!done) return give_up(done.error());
  if (write_error != 0) return give_up(file_failure(file, write_error).value());
  const auto digests = digester.finish();
  const bool same = recorded.sha256.empty() || digests.sha256 == recorded.sha256;
  if ((recorded.size && size != *recorded.size) || !same) {
    return give_up({ExitCode::kChecksum,
                    fmt::format("checksum mismatch; nothing was saved\n"
                                "  recorded  {}\n  received  {}",
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
