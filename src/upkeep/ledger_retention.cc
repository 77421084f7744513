#include "upkeep/ledger_retention.h"

#include <cerrno>
#include <fmt/format.h>
#include <sys/stat.h>
#include <vector>

#include "base/bytes.h"
#include "base/whole_file.h"
#include "crypto/digests.h"
#include "repository/ledger_csv.h"

namespace vantro::upkeep {
namespace {

// While they are removed, nobody else writes.
constexpr std::size_t kMostInOne = 20'000;

}  // namespace

base::Outcome<std::int64_t> export_old_rows(repository::Repository& repository,
                                            base::WallTime before,
                                            const std::string& folder) {
  if (::mkdir(folder.c_str(), 0700) != 0 && errno != EEXIST) {
    return base::refuse(base::system_refusal(errno, folder));
  }
  std::int64_t gone = 0;
  while (true) {
    // By number, like the chain; a combined row may be some milliseconds older than the
    // one before it.
    const auto rows = repository.ledger.oldest(kMostInOne, before);
    if (!rows) return base::refuse(rows.error());
    if (rows->empty()) return gone;
    auto text = repository::ledger_csv_head();
    for (const auto& one : *rows) text += repository::ledger_csv_line(one, false);
    const auto name =
        fmt::format("ledger-{:010}-{:010}.csv", rows->front().id, rows->back().id);
    if (auto done = base::write_whole_file(folder + "/" + name, text); !done) {
      return base::refuse(done.error());
    }
    crypto::Sha256 sha256;
    sha256.update(base::as_bytes(text));
    const auto digest = sha256.finish();
    const auto cut = repository.database->write(
        [&](db::Transaction& t) -> base::Outcome<std::int64_t> {
          return ledger::Ledger::cut(t, rows->back().id, name, digest,
                                     repository.clock.wall());
        });
    if (!cut) return cut;
    gone += *cut;
    repository.log.info("old rows of the ledger were exported",
                        {{"file", folder + "/" + name}, {"rows", *cut}});
  }
}

}  // namespace vantro::upkeep
