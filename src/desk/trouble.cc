#include "desk/trouble.h"

#include <algorithm>
#include <cstdlib>
#include <fmt/format.h>

#include "base/clock.h"
#include "base/sizes.h"

namespace vantro::desk {
namespace {

// Below this, in bytes, the disk is trouble.
constexpr base::WallTime kClocksDiffer = 5000;  // milliseconds
constexpr std::uint64_t kLittleSpace = 64 << 20;

std::vector<std::string> trouble_with_place(const repository::Repository& repository) {
  std::vector<std::string> sentences;
  const auto& folder = repository.folder;
  const auto free = folder.free_bytes();
  if (folder.reserve().given_up()) {
    sentences.push_back(fmt::format(
        "the disk was full: uploads are refused until {} are free (now {}); images and "
        "offers can still be changed",
        base::size_text(2 * store::Reserve::kBytes), base::size_text(free)));
  } else if (free < kLittleSpace) {
    sentences.push_back(fmt::format("the disk is nearly full: {} free; free some space",
                                    base::size_text(free)));
  }
  if (auto written = folder.try_writing(); !written) {
    sentences.push_back("the state folder can't be written: " + written.error().sentence);
  } else if (const auto away = repository.database->away()) {
    sentences.push_back(
        fmt::format("{}, since {}; fetches go on with what was on offer then, uploads "
                    "and changes are "
                    "refused",
                    away->why, base::local_time(away->since)));
  } else if (auto failure = repository.database->write_failure()) {
    sentences.push_back("the last change could not be written: " + failure->sentence);
  }
  if (const auto failing = repository.ledger.failing()) {
    sentences.push_back(
        fmt::format("the ledger can't be written ({}); waiting rows: {}{}", failing->why,
                    failing->waiting,
                    failing->dropped == 0
                        ? ""
                        : fmt::format(", and {} more were dropped", failing->dropped)));
  }
  if (auto unrecorded = repository.unrecorded.sentence()) {
    sentences.push_back(std::move(*unrecorded));
  }
  if (const auto kept = folder.list_kept(); kept && !kept->empty()) {
    sentences.push_back(fmt::format(
        "backups that wait on this node's disk for the database: {}", kept->size()));
  }
  const auto nodes = repository.nodes.alone()
                         ? base::Outcome<std::vector<repository::Node>>({})
                         : repository.nodes.list();
  if (const auto ahead = repository.nodes.clock_ahead();
      std::abs(ahead) > kClocksDiffer) {
    sentences.push_back(
        fmt::format("the clock of this machine is {} {} the database server's; "
                    "synchronise the clocks "
                    "of all nodes",
                    base::duration_text(static_cast<double>(std::abs(ahead)) / 1000),
                    ahead > 0 ? "behind" : "ahead of"));
  }
  for (const auto& one : nodes ? *nodes : std::vector<repository::Node>()) {
    if (one.state != repository::Node::State::kSilent) continue;
    sentences.push_back(fmt::format(
        "the node '{}' on {} has not reported since {}; if it is gone for good: 'vantro "
        "node remove {}'",
        one.name, one.host, base::local_time(one.seen_at), one.name));
  }
  for (auto& sentence : repository.troubles.all()) {
    sentences.push_back(std::move(sentence));
  }
  return sentences;
}

}  // namespace

base::Outcome<std::vector<std::string>> trouble(
    const repository::Repository& repository) {
  using Sentences = std::vector<std::string>;
  auto sentences = trouble_with_place(repository);
  if (repository.database->away()) return sentences;
  return repository.database->read([&](db::Transaction& t) -> base::Outcome<Sentences> {
    for (const auto& row :
         t.query("select sha256, max(read_at) from (select sha256, read_at from images "
                 "where whole = 0 union all select sha256, read_at from revisions where "
                 "whole = 0 union all select sha256, added_at from documents where "
                 "whole = 0) as damaged group by sha256 order by 2, 1")) {
      sentences.push_back(fmt::format(
          "damaged or missing, found {}: {}; the same bytes added again mend it",
          base::local_time(row.integer(1)),
          repository::Contents::names_of(t, row.text(0))));
    }
    // Sorted here: a database that is asked for an order goes through all names for it.
    std::vector<std::string> names;
    for (const auto& row : t.query("select name from images where vouching = "
                                   "'contradicted' and withdrawn_at is null")) {
      names.push_back(row.text(0));
    }
    std::sort(names.begin(), names.end());
    for (const auto& name : names) {
      sentences.push_back(fmt::format(
          "'{}' differs from the checksum of its maker and is not handed out: withdraw "
          "it, or undo the comparison with 'vantro image vouch --undo'",
          name));
    }
    return sentences;
  });
}

}  // namespace vantro::desk
