#include "client/commands.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/clock.h"
#include "base/sizes.h"
#include "base/unique_fd.h"
#include "base/visible_name.h"
#include "client/render.h"
#include "client/terminal.h"
#include "crypto/digests.h"

namespace vantro::client {
namespace {

using nlohmann::json;
using Align = Table::Align;

tl::unexpected<Failure> file_failure(const std::string& file, int error_number) {
  return tl::unexpected(
      Failure{ExitCode::kFile, fmt::format("{}: {}", file, std::strerror(error_number))});
}

std::string last_part(const std::string& path) {
  const auto slash = path.rfind('/');
  return slash == std::string::npos ? path : path.substr(slash + 1);
}

// Gets a path and shows the answer: as it is, or by `people`.
template <class F>
Done show(const Context& context, const std::string& path, F people) {
  const auto answer = context.api.get(path);
  if (!answer) return tl::unexpected(answer.error());
  const Terminal terminal(stdout);
  if (context.json) {
    terminal.write(answer->dump(2) + "\n");
  } else {
    people(terminal, *answer);
  }
  return {};
}

template <class T>
std::vector<T> list_of(const json& answer, const char* name) {
  return answer.value(name, json::array()).get<std::vector<T>>();
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

void write_image(const Terminal& terminal, const api::Image& image) {
  terminal.write(fmt::format("  size     {}\n", exact_size(image.size)));
  write_digests(terminal, image.digests);
}

std::string backup_path(const BackupOptions& options, const char* rest) {
  auto path = fmt::format("/v1/backups/{}/{}{}", url_escape(options.address),
                          url_escape(options.name), rest);
  if (options.revision) path += fmt::format("?revision={}", *options.revision);
  return path;
}

std::string backup_state(const api::Backup& backup) {
  if (backup.complete) return "complete";
  auto state = std::string("partial");
  if (backup.announced)
    state += fmt::format(" of {}", base::size_text(*backup.announced));
  return state + (backup.why.empty() ? "" : ": " + backup.why);
}

bool write_all(int fd, base::ByteView bytes) {
  while (!bytes.empty()) {
    const auto count = ::write(fd, bytes.data(), bytes.size());
    if (count < 0 && errno == EINTR) continue;
    if (count < 0) return false;
    bytes = bytes.subspan(static_cast<std::size_t>(count));
  }
  return true;
}

}  // namespace

Done show_status(const Context& context) {
  return show(context, "/v1/status", [](const Terminal& terminal, const json& answer) {
    const auto status = answer.get<api::Status>();
    terminal.write(
        fmt::format("vantrod {}, up {} (since {})\n", status.version,
                    base::duration_text(static_cast<double>(status.uptime_ms) / 1000),
                    shown_time(status.started_at)));
    for (const auto& listener : status.listeners) {
      terminal.write(
          fmt::format("  {:<12}listens on {}\n", listener.protocol, listener.address));
    }
    terminal.write(fmt::format("  state       {}, {} free\n", status.state_folder,
                               base::size_text(status.disk_free)));
    terminal.write(
        fmt::format("  images      {}, {} on offer\n", status.images, status.offers));
    terminal.write(fmt::format("  backups     {} revisions\n", status.backups));
    terminal.write(fmt::format("  transfers   {} running\n", status.running_transfers));
    if (status.trouble.empty()) {
      terminal.write(terminal.toned("  no trouble known", Tone::kGood) + "\n");
    }
    for (const auto& sentence : status.trouble) {
      terminal.write(
          terminal.toned("  TROUBLE     " + base::printable(sentence, 1000), Tone::kBad) +
          "\n");
    }
  });
}

Done add_image(const Context& context, const ImageAddOptions& options) {
  const base::UniqueFd file(::open(options.file.c_str(), O_RDONLY | O_CLOEXEC));
  if (!file) return file_failure(options.file, errno);
  struct stat found {};
  if (::fstat(file.get(), &found) != 0) return file_failure(options.file, errno);
  if (S_ISDIR(found.st_mode)) return file_failure(options.file, EISDIR);
  if (!S_ISREG(found.st_mode)) {
    return tl::unexpected(
        Failure{ExitCode::kFile, options.file + ": is no regular file"});
  }
  const auto size = static_cast<std::uint64_t>(found.st_size);
  const auto name = options.name.empty() ? last_part(options.file) : options.name;
  std::string path = "/v1/images/" + url_escape(name);
  std::string mark = "?";
  std::optional<crypto::Expected> expected;
  if (!options.expect.empty()) {
    auto parsed = crypto::Expected::parse(options.expect);
    if (!parsed)
      return tl::unexpected(Failure{ExitCode::kUsage, parsed.error().sentence});
    expected = std::move(*parsed);
    path += mark + "expect=" + url_escape(options.expect);
    mark = "&";
  }
  if (options.hold) path += mark + "hold=true";

  Result<json> answer;
  {
    ProgressBar bar(base::printable(name, 40), size);
    std::uint64_t sent = 0;
    answer = context.api.put(
        path, size,
        [&](char* to, std::size_t count) -> tl::expected<std::size_t, Failure> {
          const auto got = ::read(file.get(), to, count);
          if (got < 0) return file_failure(options.file, errno);
          sent += static_cast<std::uint64_t>(got);
          bar.advance(sent);
          return static_cast<std::size_t>(got);
        });
  }
  if (!answer) {
    auto failure = answer.error();
    if (failure.code == ExitCode::kChecksum) {
      failure.sentence += fmt::format("\n  expected  {}\n  came      {}",
                                      failure.problem.expected, failure.problem.actual);
    }
    return tl::unexpected(std::move(failure));
  }
  const Terminal terminal(stdout);
  if (context.json) {
    terminal.write(answer->dump(2) + "\n");
    return {};
  }
  const auto added = answer->get<api::ImageAdded>();
  const auto shown = base::printable(added.image.name, 255);
  if (added.result == "already-there") {
    terminal.write(
        fmt::format("{}: these bytes are known under this name already\n", shown));
  } else if (added.result == "new-name") {
    terminal.write(fmt::format("{}: taken in as another name of {} (the same bytes)\n",
                               shown, base::printable(added.known_as, 255)));
  } else {
    terminal.write(fmt::format("{}: taken in\n", shown));
  }
  write_image(terminal, added.image);
  if (expected) {
    terminal.write("  " +
                   terminal.toned(fmt::format("{} is as expected",
                                              crypto::title(expected->algorithm)),
                                  Tone::kGood) +
                   "\n");
  }
  if (added.image.on_offer) {
    terminal.write(fmt::format("On offer. Devices must type exactly: {}\n", shown));
  } else {
    terminal.write(fmt::format(
        "Held: not on offer. To offer it as {}, add it again without --hold.\n", shown));
  }
  return {};
}

Done list_images(const Context& context) {
  return show(context, "/v1/images", [](const Terminal& terminal, const json& answer) {
    Table table(
        {{"IMAGE"}, {"SIZE", Align::kRight}, {"SHA-256"}, {"TAKEN IN"}, {"OFFER"}});
    for (const auto& image : list_of<api::Image>(answer, "images")) {
      table.add({{image.name},
                 {base::size_text(image.size)},
                 {image.digests.sha256.substr(0, 16) + "..."},
                 {shown_time(image.taken_in_at)},
                 {image.on_offer ? "on offer" : "held",
                  image.on_offer ? Tone::kGood : Tone::kFaint}});
    }
    write_or(table, terminal, "No images yet. Take one in with: vantro image add FILE");
  });
}

Done show_image(const Context& context, const std::string& name) {
  return show(
      context, "/v1/images/" + url_escape(name),
      [](const Terminal& terminal, const json& answer) {
        const auto image = answer.get<api::Image>();
        terminal.write(base::printable(image.name, 255) + "\n");
        write_image(terminal, image);
        terminal.write(fmt::format("  taken in {} by {}\n", shown_time(image.taken_in_at),
                                   base::printable(image.taken_in_by)));
        terminal.write(image.on_offer ? "  on offer under this name\n"
                                      : "  held: not on offer\n");
      });
}

Done list_offers(const Context& context) {
  return show(context, "/v1/offers", [](const Terminal& terminal, const json& answer) {
    Table table({{"DEVICES TYPE"}, {"IMAGE"}, {"SIZE", Align::kRight}, {"SINCE"}});
    for (const auto& offer : list_of<api::Offer>(answer, "offers")) {
      table.add({{offer.name},
                 {offer.image},
                 {base::size_text(offer.size)},
                 {shown_time(offer.since)}});
    }
    write_or(table, terminal,
             "Nothing is on offer. Take an image in with: vantro image add FILE");
  });
}

Done list_backups(const Context& context, const std::string& address) {
  const auto path = address.empty() ? std::string("/v1/backups")
                                    : "/v1/backups?address=" + url_escape(address);
  return show(context, path, [&](const Terminal& terminal, const json& answer) {
    Table table({{"DEVICE"},
                 {"NAME"},
                 {"REVISION", Align::kRight},
                 {"SIZE", Align::kRight},
                 {"ARRIVED"},
                 {"STATE"}});
    for (const auto& backup : list_of<api::Backup>(answer, "backups")) {
      table.add({{backup.address},
                 {backup.name},
                 {std::to_string(backup.revision)},
                 {base::size_text(backup.size)},
                 {shown_time(backup.arrived_at)},
                 {backup_state(backup), backup.complete ? Tone::kGood : Tone::kBad}});
    }
    write_or(table, terminal,
             address.empty() ? "No backups yet: no device has sent a file."
                             : "No backups from " + base::printable(address) + ".");
  });
}

Done show_backup(const Context& context, const BackupOptions& options) {
  return show(context, backup_path(options, ""),
              [](const Terminal& terminal, const json& answer) {
                const auto backup = answer.get<api::Backup>();
                terminal.write(fmt::format("{} from {}, revision {}\n",
                                           base::printable(backup.name, 255),
                                           backup.address, backup.revision));
                terminal.write(fmt::format("  state    {}\n  size     {}\n",
                                           base::printable(backup_state(backup), 400),
                                           exact_size(backup.size)));
                if (backup.announced) {
                  terminal.write(fmt::format("  the device announced {}\n",
                                             exact_size(*backup.announced)));
                }
                if (backup.digests) write_digests(terminal, *backup.digests);
                terminal.write(fmt::format(
                    "  arrived  {}{}\n", shown_time(backup.arrived_at),
                    backup.protocol.empty() ? "" : " over " + backup.protocol));
                if (!backup.kept) terminal.write("  its bytes are no longer kept\n");
              });
}

Done save_backup(const Context& context, const BackupOptions& options) {
  const auto answer = context.api.get(backup_path(options, ""));
  if (!answer) return tl::unexpected(answer.error());
  const auto backup = answer->get<api::Backup>();
  // The revision is fixed now: a newer one may arrive in between.
  auto exact = options;
  exact.revision = backup.revision;

  const bool to_stdout = options.to == "-";
  const auto target = options.to.empty() ? last_part(backup.name) : options.to;
  const auto beside = target + ".part";
  base::UniqueFd file;
  if (!to_stdout) {
    if (!options.force && ::access(target.c_str(), F_OK) == 0) {
      return tl::unexpected(Failure{
          ExitCode::kFile,
          fmt::format("{} exists; give another file with --to, or --force to write "
                      "over it",
                      target)});
    }
    file.reset(::open(beside.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600));
    if (!file) return file_failure(beside, errno);
  }
  const int fd = to_stdout ? STDOUT_FILENO : file.get();
  crypto::Digester digester;
  std::uint64_t size = 0;
  int write_error = 0;
  auto done =
      context.api.download(backup_path(exact, "/content"), [&](base::ByteView bytes) {
        digester.update(bytes);
        size += bytes.size();
        if (write_all(fd, bytes)) return true;
        write_error = errno;
        return false;
      });
  const auto give_up = [&](Failure failure) {
    if (!to_stdout) ::unlink(beside.c_str());
    return tl::unexpected(std::move(failure));
  };
  if (!done) return give_up(done.error());
  if (write_error != 0) return give_up(file_failure(target, write_error).value());
  const auto digests = digester.finish();
  if (size != backup.size ||
      (backup.digests && digests.sha256 != backup.digests->sha256)) {
    return give_up({ExitCode::kChecksum,
                    fmt::format("what came is not what is on record; nothing was saved\n"
                                "  recorded  {}\n  came      {}",
                                backup.digests ? backup.digests->sha256 : "(partial)",
                                digests.sha256)});
  }
  if (to_stdout) return {};
  if (::fsync(fd) != 0 || ::rename(beside.c_str(), target.c_str()) != 0) {
    return give_up(file_failure(target, errno).value());
  }
  const Terminal terminal(stdout);
  if (context.json) {
    auto said = *answer;
    said["saved_to"] = target;
    terminal.write(said.dump(2) + "\n");
    return {};
  }
  terminal.write(fmt::format("{}: revision {} of {} from {}, {}\n", target,
                             backup.revision, base::printable(backup.name, 255),
                             backup.address, exact_size(size)));
  if (backup.complete) {
    terminal.write(fmt::format("  SHA-256 {} as recorded\n", digests.sha256));
  } else {
    terminal.write(
        terminal.toned("  Partial: the transfer broke off, the rest is missing",
                       Tone::kBad) +
        "\n");
  }
  return {};
}

Done list_transfers(const Context& context) {
  return show(context, "/v1/transfers", [](const Terminal& terminal, const json& answer) {
    write_or(transfer_table(list_of<api::Transfer>(answer, "transfers")), terminal,
             "No transfer is running. What ended is in: vantro ledger");
  });
}

Done show_contacts(const Context& context, const std::string& address) {
  if (address.empty()) {
    return show(
        context, "/v1/contacts", [](const Terminal& terminal, const json& answer) {
          const auto now = base::SystemClock{}.wall();
          Table table(
              {{"LAST HEARD", Align::kRight}, {"FROM"}, {"ON"}, {"WHAT HAPPENED LAST"}});
          for (const auto& one : list_of<api::Contact>(answer, "contacts")) {
            const auto at = base::parse_iso_time(one.last_heard_at).value_or(now);
            const auto ago =
                static_cast<double>(std::max<std::int64_t>(0, now - at)) / 1000;
            table.add({{base::duration_text(ago) + " ago"},
                       {one.address},
                       {one.heard_on},
                       {one.sentence, tone_of(one.state)}});
          }
          write_or(
              table, terminal,
              "Nobody was heard yet. A device that says it has asked did not reach this "
              "server: check the address that it was given, the route, and firewalls.");
        });
  }
  return show(context, "/v1/contacts/" + url_escape(address),
              [](const Terminal& terminal, const json& answer) {
                const auto story = answer.get<api::Story>();
                Table table({{"WHEN"}, {"STATE"}, {"ON"}, {"WHAT HAPPENED"}});
                for (const auto& line : story.lines) {
                  table.add({{shown_time(line.at)},
                             {line.state, tone_of(line.state)},
                             {line.heard_on},
                             {line.sentence}});
                }
                table.write(terminal);
              });
}

Done show_ledger(const Context& context, std::int64_t limit) {
  return show(
      context, fmt::format("/v1/ledger?limit={}", limit),
      [](const Terminal& terminal, const json& answer) {
        Table table({{"WHEN"},
                     {"WHO"},
                     {"WHAT"},
                     {"NAME"},
                     {"BYTES", Align::kRight},
                     {"TOOK", Align::kRight},
                     {"RESENT", Align::kRight},
                     {"OUTCOME"},
                     {""}});
        auto entries = list_of<api::LedgerEntry>(answer, "entries");
        std::reverse(entries.begin(), entries.end());
        for (const auto& entry : entries) {
          const bool moved = entry.event == "fetch" || entry.event == "deposit" ||
                             entry.event == "image-add";
          const bool timed = moved && entry.duration_ms > 0;
          table.add(
              {{shown_time(entry.at)},
               {entry.actor},
               {entry.event},
               {entry.name},
               {moved && entry.outcome != "refused" ? base::size_text(entry.bytes) : ""},
               {timed ? base::duration_text(static_cast<double>(entry.duration_ms) / 1000)
                      : ""},
               {entry.resent > 0 ? std::to_string(entry.resent) : ""},
               {entry.outcome, tone_of(entry.outcome)},
               {entry.sentence}});
        }
        write_or(table, terminal, "The ledger is empty.");
      });
}

}  // namespace vantro::client
