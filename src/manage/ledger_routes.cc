#include "manage/ledger_routes.h"

#include <algorithm>
#include <fmt/format.h>
#include <memory>
#include <utility>

#include "api/operations.h"
#include "base/numbers.h"
#include "base/visible_name.h"
#include "manage/answers.h"
#include "manage/convert.h"
#include "manage/convert_catalogue.h"
#include "manage/values.h"
#include "repository/ledger_csv.h"

namespace vantro::manage {
namespace {

using base::Kind;

constexpr std::int64_t kMostRows = 10'000;
constexpr std::int64_t kUsualRows = 50;
// Of an export, in memory at once.
constexpr std::size_t kRowsInAPiece = 2000;
// Of a check of the chain: some tenths of a second.
constexpr std::int64_t kVerifiedInAPiece = 20'000;

// "offer-change,withdraw" -> both
std::vector<std::string> words(std::string_view text) {
  std::vector<std::string> all;
  while (!text.empty()) {
    const auto end = std::min(text.find_first_of(", "), text.size());
    if (end > 0) all.emplace_back(text.substr(0, end));
    text.remove_prefix(std::min(end + 1, text.size()));
  }
  return all;
}

base::Outcome<ledger::Filter> filter_of(Service& service, const auto& asked) {
  ledger::Filter filter;
  filter.whose = asked.whose;
  if (const auto address = base::Address::parse(filter.whose)) {
    filter.whose = address->text();
  } else if (!filter.whose.empty()) {
    const auto device = service.repository.inventory.holder(filter.whose);
    if (!device) return base::refuse(device.error());
    filter.whose = device->name;
  }
  filter.by = base::folded(asked.by);
  const auto from = time_of(asked.from);
  if (!from) return base::refuse(from.error());
  filter.from = *from;
  const auto until = time_of(asked.until);
  if (!until) return base::refuse(until.error());
  filter.until = *until;
  filter.events = words(asked.event);
  filter.name = asked.name;
  filter.outcome = asked.outcome;
  filter.sha256 = base::folded(asked.sha256);
  filter.request = base::folded(asked.request);
  filter.mirror = base::folded(asked.mirror);
  return filter;
}

base::Outcome<api::LedgerPage> page(Service& service, const Call&,
                                    const api::LedgerAsked& asked) {
  const auto filter = filter_of(service, asked);
  if (!filter) return base::refuse(filter.error());
  const auto rows = std::min(asked.limit.value_or(kUsualRows), kMostRows);
  const auto found = service.repository.ledger.newest(static_cast<std::size_t>(rows),
                                                      asked.before, *filter);
  if (!found) return base::refuse(found.error());
  return api::LedgerPage{shapes(*found)};
}

// Piece by piece, from where the last one ended.
struct Export {
  ledger::Filter filter;
  bool csv = true;
  ledger::Ledger::Place place = {};
  bool begun = false;
  bool done = false;
};

base::Outcome<std::string> next_piece(repository::Repository& repository, Export& what) {
  if (what.done) return std::string();
  const auto rows = repository.ledger.after(what.place, kRowsInAPiece, what.filter);
  if (!rows) return base::refuse(rows.error());
  std::string text;
  if (what.csv && !std::exchange(what.begun, true)) text = repository::ledger_csv_head();
  for (const auto& one : *rows) {
    text += what.csv ? repository::ledger_csv_line(one, true)
                     : api::json_of(shape(one)) + "\n";
  }
  if (!rows->empty()) what.place = {rows->back().at, rows->back().id};
  what.done = rows->size() < kRowsInAPiece;
  return text;
}

base::Outcome<net::http::Answer> export_rows(Service& service, const Call& call) {
  const auto asked = asked_in<api::LedgerExportAsked>(call);
  if (!asked) return base::refuse(asked.error());
  auto filter = filter_of(service, *asked);
  if (!filter) return base::refuse(filter.error());
  const auto what = std::make_shared<Export>();
  what->filter = std::move(*filter);
  what->csv = asked->form == "csv";
  net::http::Answer answer;
  guard(answer);
  answer.set("Content-Type", what->csv ? "text/csv; charset=utf-8; header=present"
                                       : "application/x-ndjson");
  answer.more = [&repository = service.repository, what] {
    return next_piece(repository, *what);
  };
  return answer;
}

api::LedgerVerified shape(const ledger::Verified& found) {
  api::LedgerVerified result;
  result.sound = found.breaks.empty();
  result.rows = found.rows;
  result.unchained = found.unchained;
  for (const auto& one : found.breaks) result.breaks.push_back({one.row, one.sentence});
  result.newest = fmt::format("{}:{}", found.last_row, found.last_hash);
  return result;
}

// Millions of rows take a while: meanwhile it sends blanks, which JSON allows in front,
// so that the client sees progress.
base::Outcome<net::http::Answer> verify(Service& service, const Call& call) {
  const auto asked = asked_in<api::LedgerVerifyAsked>(call);
  if (!asked) return base::refuse(asked.error());
  const auto check = std::make_shared<ledger::ChainCheck>();
  if (const auto& noted = asked->noted; !noted.empty()) {
    const auto colon = noted.find(':');
    const auto row = base::parse_number<std::int64_t>(noted.substr(0, colon));
    if (!row || colon == std::string::npos || noted.size() != colon + 1 + 64) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("'{}' is not ROW:HASH as 'vantro ledger verify' shows it",
                      base::printable(noted, 100)));
    }
    check->noted = {*row, noted.substr(colon + 1)};
  }
  net::http::Answer answer;
  guard(answer);
  answer.set("Content-Type", kJsonType);
  const auto done = std::make_shared<bool>(false);
  answer.more = [&service, check, done]() -> base::Outcome<std::string> {
    if (*done) return std::string();
    const auto all = service.repository.ledger.verify(*check, kVerifiedInAPiece);
    if (!all) return base::refuse(all.error());
    if (!*all) return std::string(" ");
    *done = true;
    return api::json_of(shape(check->found));
  };
  return answer;
}

}  // namespace

void ledger_routes(Routes& routes) {
  routes.add(api::kLedger, page);
  routes.add_answer(api::kLedgerExport, export_rows);
  routes.add_answer(api::kLedgerVerify, verify);
}

}  // namespace vantro::manage
