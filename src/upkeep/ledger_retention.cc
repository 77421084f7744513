#include "upkeep/ledger_retention.h"

#include <cerrno>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>
#include <vector>

#include "base/bytes.h"
#include "base/unique_fd.h"
#include "crypto/digests.h"
#include "repository/ledger_csv.h"

namespace vantro::upkeep {
namespace {

// As long as they are taken out, nobody else writes.
constexpr std::size_t kMostInOne = 20'000;

bool write_all(int fd, std::string_view text) {
  while (!text.empty()) {
    const auto count = ::write(fd, text.data(), text.size());
    if (count < 0 && errno == EINTR) continue;
    if (count <= 0) return false;
    text.remove_prefix(static_cast<std::size_t>(count));
  }
  return true;
}

// The file's SHA-256. On disk, with its name, when it returns a value.
base::Outcome<std::string> write_file(const std::string& folder, const std::string& name,
                                      const std::string& text) {
  const auto file = folder + "/" + name;
  const auto fresh = file + ".new";
  const base::UniqueFd made(
      ::open(fresh.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC | O_NOFOLLOW, 0600));
  const base::UniqueFd above(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
  if (!made || !above || !write_all(made.get(), text) || ::fsync(made.get()) != 0 ||
      ::rename(fresh.c_str(), file.c_str()) != 0 || ::fsync(above.get()) != 0) {
    return base::refuse(base::system_refusal(errno, file));
  }
  crypto::Sha256 digest;
  digest.update(base::as_bytes(text));
  return digest.finish();
}

}  // namespace

base::Outcome<std::int64_t> export_old_rows(repository::Repository& repository,
                                            base::WallTime before,
                                            const std::string& folder) {
  if (::mkdir(folder.c_str(), 0700) != 0 && errno != EEXIST) {
    return base::refuse(base::system_refusal(errno, folder));
  }
  std::int64_t gone = 0;
  while (true) {
    // By number, as the chain goes; a gathered row may be some milliseconds older than
    // the one before it.
    const auto rows = repository.ledger.oldest(kMostInOne, before);
    if (!rows) return base::refuse(rows.error());
    if (rows->empty()) return gone;
    auto text = repository::ledger_csv_head();
    for (const auto& one : *rows) text += repository::ledger_csv_line(one, false);
    const auto name =
        fmt::format("ledger-{:010}-{:010}.csv", rows->front().id, rows->back().id);
    const auto digest = write_file(folder, name, text);
    if (!digest) return base::refuse(digest.error());
    const auto cut = repository.database->write(
        [&](db::Transaction& t) -> base::Outcome<std::int64_t> {
          return ledger::Ledger::cut(t, rows->back().id, name, *digest,
                                     repository.clock.wall());
        });
    if (!cut) return cut;
    gone += *cut;
    repository.log.info("old rows of the ledger were exported",
                        {{"file", folder + "/" + name}, {"rows", *cut}});
  }
}

}  // namespace vantro::upkeep
