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

// What stands in the description, one word each, in this order.
struct Kept {
  std::string file;
  base::WallTime arrived_at = 0;
  std::uint64_t size = 0;
  std::string sha256;
  std::string request;
  std::string address;
  std::string name;
  std::string protocol;
  std::string account;
  std::string heard_on;
  std::optional<std::uint64_t> announced;
  backup::Ending ending = backup::Ending::kConfirmed;
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

// It may have been filed, and the program killed before it could be removed here.
base::Outcome<bool> is_filed(Workings& workings, const Kept& kept) {
  return workings.repository.database->read(
      [&](db::Transaction& t) -> base::Outcome<bool> {
        // One connection may have sent a name twice.
        return !t.query(
                     "select 1 from ledger where request = :r and request <> '' and "
                     "event = :e and outcome = :o and name = :n and at = :a and sha256 "
                     "= :s limit 1",
                     {kept.request, word(Direction::kDeposit), word(State::kComplete),
                      kept.name, kept.arrived_at, kept.sha256})
                    .empty();
      });
}

base::Outcome<void> file_one(Workings& workings, const store::StateFolder& folder,
                             const Kept& kept) {
  const auto filed = is_filed(workings, kept);
  if (!filed) return base::refuse(filed.error());
  if (*filed) return {};
  const auto address = base::Address::parse(kept.address);
  if (!address) return base::refuse(Kind::kCorrupt, "its description is damaged");
  backup::Revision revision;
  revision.address = kept.address;
  revision.holder = workings.repository.inventory.holder_of(*address);
  revision.name = kept.name;
  revision.announced = kept.announced;
  revision.protocol = kept.protocol;
  revision.account = kept.account;
  revision.ending = kept.ending;
  TransferView start;
  start.direction = Direction::kDeposit;
  start.protocol = kept.protocol;
  start.request = kept.request;
  start.peer = kept.address;
  start.account = kept.account;
  start.heard_on = kept.heard_on;
  start.name = kept.name;
  start.total = kept.size;
  start.note = "kept on the server's disk while its database was away";
  auto arrival = workings.repository.folder.arrive(
      {"backup", kept.address, kept.name}, kept.arrived_at, kept.size,
      store::ArrivalLabel::is_sealed(kept.file));
  if (!arrival) return base::refuse(arrival.error());
  BackupWrite write(workings, std::move(revision), *address,
                    {kept.announced, {{crypto::Algorithm::kSha256, kept.sha256}}}, {},
                    text::ContentTeller(), std::move(*arrival),
                    Transfer(workings, std::move(start), std::nullopt));
  write.was_kept(kept.arrived_at);
  auto copied = folder.read_kept(
      kept.file, [&](base::ByteView bytes) { return write.write(bytes); });
  auto done =
      copied ? write.commit() : base::Outcome<Filed>(base::refuse(copied.error()));
  if (done) return {};
  // It stays in kept/; or it was removed there after it was filed, and its description
  // follows.
  const bool gone = done.error().kind == Kind::kNotFound && !copied;
  write.abandon(State::kFailed, done.error().sentence, false);
  return gone ? base::Outcome<void>() : base::refuse(done.error());
}

}  // namespace

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
