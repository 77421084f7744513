#include "mirror/incoming.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "gate/kept_uploads.h"
#include "store/sealed_file.h"

namespace vantro::mirror {
namespace {

using base::Kind;

// Without a SHA-256 it is a row like any other: the bytes were removed at the mirror
// before they could be sent.
bool is_backup(const ledger::Entry& row) {
  return row.event == gate::word(gate::Direction::kDeposit) &&
         row.outcome == gate::word(gate::State::kComplete) && !row.sha256.empty();
}

// Of its label while it arrives (store/arrival_label.h): after a crash it is removed.
constexpr const char* kPurpose = "mirror-backup";

bool is_sha256(const std::string& text) {
  return text.size() == 64 &&
         text.find_first_not_of("0123456789abcdef") == std::string::npos;
}

}  // namespace

std::shared_ptr<Incoming::Sender> Incoming::sender(const std::string& mirror) {
  const base::Lock lock(mutex_);
  auto& one = senders_[mirror];
  if (!one) one = std::make_shared<Sender>();
  return one;
}

base::Outcome<std::int64_t> Incoming::upto(const std::string& mirror) const {
  return repository_.database->read(
      [&](db::Transaction& t) -> base::Outcome<std::int64_t> {
        const auto rows =
            t.query("select rows_upto from mirrors where name = :n", {mirror});
        if (rows.empty()) {
          return base::refuse(Kind::kNotFound, "the mirror has not asked for news yet");
        }
        return rows.front().integer(0);
      });
}

base::Outcome<void> Incoming::record(const std::string& mirror,
                                     std::vector<ledger::Entry> rows, std::int64_t upto) {
  return repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
    if (!rows.empty()) ledger::Ledger::record(t, rows);
    t.run("update mirrors set rows_upto = :u where name = :n", {upto, mirror});
    return {};
  });
}

base::Outcome<bool> Incoming::file(const std::string& mirror, const ledger::Entry& row,
                                   Sender& sender) {
  gate::Received received;
  received.arrived_at = row.at;
  received.size = row.bytes;
  received.sha256 = row.sha256;
  received.request = row.request;
  received.address = row.actor;
  received.name = row.name;
  received.protocol = row.protocol;
  received.account = row.account;
  received.heard_on = row.heard_on;
  received.announced = row.total;
  received.note = fmt::format("received by mirror '{}'", mirror);
  received.mirror = mirror;
  auto& arrival = sender.arrival;
  const bool arrived =
      arrival && sender.sha256 == row.sha256 && arrival->size() >= row.bytes;
  // A device may send the same bytes again and again: they go over the link once.
  auto source = arrived ? arrival->open_for_reading()
                        : repository_.folder.open_stored(row.sha256, row.bytes);
  if (!source && !arrived) return false;
  if (!source) return base::refuse(source.error());
  const auto filed = gate_.file_received(received, [&](const store::Arrival::Read& take) {
    return store::read_plain(source->get(), nullptr, true, take);
  });
  const bool spoilt = !filed && filed.error().kind == Kind::kMismatch;
  if (arrived && (filed || spoilt)) {
    arrival->discard();
    arrival.reset();
  }
  if (spoilt && arrived) return false;
  if (!filed) return base::refuse(filed.error());
  return true;
}

base::Outcome<Incoming::Taken> Incoming::rows(const std::string& mirror,
                                              const std::vector<ledger::Entry>& rows) {
  const auto from_there = sender(mirror);
  const base::Lock one_at_a_time(from_there->mutex);
  const auto known = upto(mirror);
  if (!known) return base::refuse(known.error());
  Taken taken;
  taken.upto = *known;
  std::vector<ledger::Entry> batch;
  std::int64_t last = *known;
  const auto write = [&]() -> base::Outcome<void> {
    if (last == taken.upto) return {};
    auto done = record(mirror, std::move(batch), last);
    batch.clear();
    if (done) taken.upto = last;
    return done;
  };
  for (const auto& row : rows) {
    if (row.id <= last) continue;
    if (!is_backup(row)) {
      last = row.id;
      batch.push_back(row);
      batch.back().mirror = mirror;
      continue;
    }
    if (!is_sha256(row.sha256)) {
      return base::refuse(Kind::kInvalid, "a row about a backup has no valid SHA-256");
    }
    if (auto written = write(); !written) return base::refuse(written.error());
    const auto filed = file(mirror, row, *from_there);
    if (!filed) return base::refuse(filed.error());
    if (!*filed) {
      taken.wants = row.sha256;
      if (from_there->arrival && from_there->sha256 == row.sha256) {
        taken.have = from_there->arrival->size();
      }
      return taken;
    }
    last = row.id;
  }
  if (auto written = write(); !written) return base::refuse(written.error());
  return taken;
}

base::Outcome<std::uint64_t> Incoming::piece(const std::string& mirror,
                                             const std::string& sha256,
                                             std::uint64_t size, std::uint64_t from,
                                             base::ByteView bytes) {
  if (!is_sha256(sha256)) {
    return base::refuse(Kind::kInvalid,
                        "a SHA-256 is 64 digits of lower-case hexadecimal");
  }
  // Nothing follows the last byte; only an empty backup has an empty piece.
  if (from > size || bytes.size() > size - from || (bytes.empty() && size > 0)) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("a piece of {} at byte {} is not a part of {} bytes",
                                    base::size_text(bytes.size()), from, size));
  }
  const auto from_there = sender(mirror);
  const base::Lock one_at_a_time(from_there->mutex);
  auto& arrival = from_there->arrival;
  if (arrival && (from == 0 || from_there->sha256 != sha256)) {
    arrival->discard();
    arrival.reset();
  }
  if (!arrival && from == 0) {
    // Whatever may be a configuration is encrypted from its first byte on.
    const bool encrypted = size <= repository_.rules.treatment.configuration_up_to();
    auto begun = repository_.folder.arrive({kPurpose, mirror, sha256},
                                           repository_.clock.wall(), size, encrypted);
    if (!begun) return base::refuse(begun.error());
    arrival.emplace(std::move(*begun));
    from_there->sha256 = sha256;
  }
  const auto have = arrival ? arrival->size() : 0;
  if (have != from) {
    return base::refuse(Kind::kMismatch, fmt::format("{} of it are here; go on there",
                                                     base::size_text(have)));
  }
  auto written = arrival->write(bytes);
  // Its end is on the disk, to be read from there.
  if (written && arrival->size() >= size) {
    if (auto finished = arrival->finish(); !finished) {
      written = base::refuse(finished.error());
    }
  }
  if (!written) {
    arrival->discard();
    arrival.reset();
    return base::refuse(written.error());
  }
  return arrival->size();
}

}  // namespace vantro::mirror
