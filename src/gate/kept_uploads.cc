#include "gate/kept_uploads.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <optional>
#include <sstream>
#include <vector>

#include "base/numbers.h"
#include "base/percent.h"
#include "gate/backup_write.h"
#include "gate/workings.h"
#include "text/content.h"

namespace vantro::gate {
namespace {

using base::Kind;

constexpr std::string_view kWord = "vantro-kept";

// What stands in the description, one word each, in the order of reading.
struct Kept : Received {
  std::string file;
};

std::string field(const std::string& text) {
  if (text.empty()) return "-";
  return text == "-" ? "%2D" : base::percent_encoded(text);
}

std::string unfield(const std::string& text) {
  return text == "-" ? std::string() : base::percent_decoded(text).value_or("");
}

std::optional<Kept> read_about(const store::StateFolder::Kept& from) {
  std::istringstream in(from.about);
  Kept kept;
  kept.note = "kept on the server's disk while its database was away";
  kept.file = from.name;
  std::string first;
  std::string announced;
  std::array<std::string, 7> texts;
  if (!(in >> first >> kept.arrived_at >> kept.size >> kept.sha256) || first != kWord) {
    return std::nullopt;
  }
  for (auto& text : texts) in >> text;
  if (!(in >> announced)) return std::nullopt;
  kept.request = unfield(texts[0]);
  kept.address = unfield(texts[1]);
  kept.name = unfield(texts[2]);
  kept.protocol = unfield(texts[3]);
  kept.account = unfield(texts[4]);
  kept.heard_on = unfield(texts[5]);
  if (announced != "-") kept.announced = base::parse_number<std::uint64_t>(announced);
  for (const auto one :
       {backup::Ending::kConfirmed, backup::Ending::kUnknownSize, backup::Ending::kCut}) {
    if (unfield(texts[6]) == backup::word(one)) kept.ending = one;
  }
  return kept;
}

base::Outcome<void> file_one(Workings& workings, const store::StateFolder& folder,
                             const Kept& kept) {
  const auto filed = is_filed(workings, kept);
  if (!filed) return base::refuse(filed.error());
  if (*filed) return {};
  bool gone = false;
  const auto done =
      file_received(workings, kept, store::ArrivalLabel::is_sealed(kept.file),
                    [&](const store::Arrival::Read& take) {
                      auto read = folder.read_kept(kept.file, take);
                      gone = !read && read.error().kind == Kind::kNotFound;
                      return read;
                    });
  // It stays in kept/; or it was removed there after it was filed, and its description
  // follows.
  if (done || gone) return {};
  return base::refuse(done.error());
}

}  // namespace

base::Outcome<bool> is_filed(Workings& workings, const Received& received) {
  return workings.repository.database->read(
      [&](db::Transaction& t) -> base::Outcome<bool> {
        // One connection may have sent a name twice.
        return !t.query(
                     "select 1 from ledger where request = :r and request <> '' and "
                     "event = :e and outcome = :o and name = :n and at = :a and sha256 "
                     "= :s and via = :v limit 1",
                     {received.request, word(Direction::kDeposit), word(State::kComplete),
                      received.name, received.arrived_at, received.sha256,
                      received.mirror})
                    .empty();
      });
}

base::Outcome<Filed> file_received(
    Workings& workings, const Received& received, bool encrypted,
    const std::function<base::Outcome<void>(const store::Arrival::Read&)>& bytes) {
  const auto address = base::Address::parse(received.address);
  if (!address) return base::refuse(Kind::kCorrupt, "its description is damaged");
  backup::Revision revision;
  revision.address = received.address;
  revision.holder = workings.repository.inventory.holder_of(*address);
  revision.name = received.name;
  revision.announced = received.announced;
  revision.protocol = received.protocol;
  revision.account = received.account;
  revision.ending = received.ending;
  TransferView start;
  start.direction = Direction::kDeposit;
  start.protocol = received.protocol;
  start.request = received.request;
  start.peer = received.address;
  start.account = received.account;
  start.heard_on = received.heard_on;
  start.name = received.name;
  start.total = received.size;
  start.note = received.note;
  start.mirror = received.mirror;
  auto arrival =
      workings.repository.folder.arrive({"backup", received.address, received.name},
                                        received.arrived_at, received.size, encrypted);
  if (!arrival) return base::refuse(arrival.error());
  BackupWrite write(workings, std::move(revision), *address,
                    {received.announced, {{crypto::Algorithm::kSha256, received.sha256}}},
                    {}, text::ContentTeller(), std::move(*arrival),
                    Transfer(workings, std::move(start), std::nullopt));
  write.was_kept(received.arrived_at);
  auto copied = bytes([&](base::ByteView piece) { return write.write(piece); });
  auto done =
      copied ? write.commit() : base::Outcome<Filed>(base::refuse(copied.error()));
  if (!done) write.abandon(State::kFailed, done.error().sentence, false);
  return done;
}

std::string about_kept(const backup::Revision& revision, const TransferView& transfer) {
  return fmt::format("{} {} {} {} {} {} {} {} {} {} {} {}\n", kWord, revision.arrived_at,
                     revision.size, revision.digests.sha256, field(transfer.request),
                     field(revision.address), field(revision.name),
                     field(revision.protocol), field(revision.account),
                     field(transfer.heard_on), field(word(revision.ending)),
                     revision.announced ? std::to_string(*revision.announced) : "-");
}

base::Outcome<std::size_t> file_kept(Workings& workings,
                                     const store::StateFolder& folder) {
  const auto files = folder.list_kept();
  if (!files) return base::refuse(files.error());
  std::vector<Kept> all;
  for (const auto& file : *files) {
    auto kept = read_about(file);
    if (!kept) {
      return base::refuse(Kind::kCorrupt,
                          fmt::format("{}: its description is damaged", file.name));
    }
    all.push_back(std::move(*kept));
  }
  std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
    return a.arrived_at < b.arrived_at;
  });
  std::size_t done = 0;
  base::Outcome<void> failed;
  for (const auto& one : all) {
    auto filed = file_one(workings, folder, one);
    if (filed) {
      folder.remove_kept(one.file);
      ++done;
      continue;
    }
    // A damaged one must not keep the others waiting.
    if (failed)
      failed = base::refuse(filed.error().kind, one.file + ": " + filed.error().sentence);
    if (filed.error().kind == Kind::kBusy) break;
  }
  if (!failed) return base::refuse(failed.error());
  return done;
}

}  // namespace vantro::gate
