#include "mirror/outgoing.h"

#include <algorithm>
#include <cerrno>
#include <unistd.h>

namespace vantro::mirror {

base::Outcome<std::int64_t> Outgoing::upto() const {
  return repository_.database->read(
      [](db::Transaction& t) -> base::Outcome<std::int64_t> {
        const auto rows = t.query("select rows_sent from mirror_standing");
        return rows.empty() ? 0 : rows.front().integer(0);
      });
}

base::Outcome<std::vector<ledger::Entry>> Outgoing::rows() {
  const auto last = upto();
  if (!last) return base::refuse(last.error());
  // Those that wait in memory are the newest, and have no numbers yet.
  if (auto written = repository_.ledger.flush(); !written) {
    return base::refuse(written.error());
  }
  return repository_.ledger.behind(*last, kMostRows);
}

base::Outcome<std::uint64_t> Outgoing::waiting() const {
  const auto last = upto();
  if (!last) return base::refuse(last.error());
  const auto newest = repository_.ledger.newest_row();
  if (!newest) return base::refuse(newest.error());
  return static_cast<std::uint64_t>(std::max<std::int64_t>(*newest - *last, 0));
}

base::Outcome<void> Outgoing::sent(std::int64_t upto) {
  return repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
    t.run("update mirror_standing set rows_sent = :u where rows_sent < :v", {upto, upto});
    return {};
  });
}

base::Outcome<std::string> Outgoing::piece(const ledger::Entry& row,
                                           std::uint64_t from) const {
  const auto file = repository_.folder.open_stored(row.sha256, row.bytes);
  if (!file) return base::refuse(file.error());
  std::string bytes(std::min<std::uint64_t>(kMostPiece, row.bytes - from), '\0');
  for (std::size_t done = 0; done < bytes.size();) {
    const auto count = ::pread(file->get(), bytes.data() + done, bytes.size() - done,
                               static_cast<off_t>(from + done));
    if (count < 0 && errno == EINTR) continue;
    if (count <= 0) {
      return base::refuse(
          base::system_refusal(count < 0 ? errno : EIO, "a stored file can't be read"));
    }
    done += static_cast<std::size_t>(count);
  }
  return bytes;
}

}  // namespace vantro::mirror
