#include "gate/hand_in.h"

#include <fmt/format.h>

#include "base/visible_name.h"
#include "crypto/checksum_list.h"
#include "gate/workings.h"
#include "repository/change.h"
#include "repository/image_changes.h"

namespace vantro::gate {

using base::Kind;

namespace {

constexpr base::WallTime kDay = 86'400'000;

std::string source(const std::string& account, const std::string& list) {
  return fmt::format("handed in by {}, {}", account, list);
}

bool is_own_list(const std::string& list, const std::string& image) {
  return base::folded(list).starts_with(base::folded(image) + ".");
}

// What name and content told, of what was taken as a fact.
std::string facts_text(const Taken& taken) {
  std::string text;
  for (const auto& one : taken.suggestions) {
    text += fmt::format("{}{} {}", text.empty() ? "; " : ", ", one.fact, one.text);
  }
  return text;
}

}  // namespace

// -- HandedImage --

HandedImage::HandedImage(Workings& workings, std::string account, Announced announced,
                         ImageIntake intake)
    : workings_(workings),
      account_(std::move(account)),
      announced_(std::move(announced)),
      intake_(std::move(intake)) {}

base::Outcome<void> HandedImage::write(base::ByteView bytes) {
  return intake_.write(bytes);
}

base::Outcome<std::vector<Claim>> HandedImage::claims() const {
  using Claims = std::vector<Claim>;
  const auto& image = intake_.name();
  return workings_.repository.database->read(
      [&](db::Transaction& t) -> base::Outcome<Claims> {
        Claims claims;
        for (const auto& row : t.query(
                 "select name, text from handed_lists where account = :a and at >= :t",
                 {account_, workings_.clock.wall() - HandedList::kKeptDays * kDay})) {
          const auto list = crypto::parse_checksum_list(row.text(1));
          if (!list) continue;  // it was read when it came
          const auto own = list->of(image);
          if (own.empty() && is_own_list(row.text(0), image)) {
            return base::refuse(
                Kind::kInvalid,
                fmt::format("'{}', which was handed in for it, does not name "
                            "'{}'; nothing was filed",
                            row.text(0), image));
          }
          for (const auto& one : own) {
            // A list for one file may hold a bare checksum; one for many must name it.
            if (one.name.empty() && !is_own_list(row.text(0), image)) continue;
            claims.push_back({one.expected, source(account_, row.text(0)), ""});
          }
        }
        return claims;
      });
}

base::Outcome<Filed> HandedImage::commit() {
  auto wanted = claims();
  if (!wanted) return base::refuse(wanted.error());
  intake_.add_claims(std::move(*wanted));
  intake_.expect(announced_.digests);
  const auto taken = intake_.commit();
  if (!taken) {
    auto refusal = taken.error();
    if (const auto& expected = intake_.differing()) {
      refusal.sentence +=
          fmt::format(" (expected {}, came {})", expected->hex,
                      crypto::value_of(intake_.digests(), expected->algorithm));
    }
    return base::refuse(refusal);
  }
  (void)workings_.repository.database->write(
      [&](db::Transaction& t) -> base::Outcome<void> {
        for (const auto& row :
             t.query("select name from handed_lists where account = :a", {account_})) {
          if (!is_own_list(row.text(0), intake_.name())) continue;
          t.run("delete from handed_lists where account = :a and name = :n",
                {account_, row.text(0)});
        }
        return {};
      });
  Filed filed;
  filed.path = taken->offer;
  filed.size = taken->added.image.size;
  filed.digests = taken->added.image.digests;
  if (taken->added.what == catalog::Added::What::kNew || taken->settled) {
    filed.new_image = taken->added.image.name;
  }
  filed.sentence =
      fmt::format("'{}' {}{}{}", base::printable(intake_.name(), base::kLongestName),
                  intake_.sentence(*taken), facts_text(*taken),
                  taken->note.empty() ? "" : "; " + taken->note);
  return filed;
}

void HandedImage::abandon(State how, const std::string& why, bool /*keep*/) {
  intake_.fail(how, why);
}

// -- HandedList --

HandedList::HandedList(Workings& workings, std::string account, std::string name,
                       Announced announced, Transfer transfer)
    : workings_(workings),
      account_(std::move(account)),
      name_(std::move(name)),
      announced_(std::move(announced)),
      transfer_(std::move(transfer)) {}

base::Outcome<void> HandedList::write(base::ByteView bytes) {
  if (bytes.size() > kLongest - text_.size()) {
    return base::refuse(Kind::kTooLarge,
                        "a checksum list that is handed in has at most "
                        "1 MiB");
  }
  text_ += base::as_text(bytes);
  return {};
}

base::Outcome<std::string> HandedList::hold_against_images(
    const crypto::ChecksumList& list) const {
  std::string told;
  for (const auto& one : list.checksums) {
    // A bare checksum is for the file that the list is named after.
    auto typed = one.name.empty() ? name_.substr(0, name_.rfind('.')) : one.name;
    if (const auto folder = name_.rfind('/');
        !one.name.empty() && folder != std::string::npos) {
      typed = name_.substr(0, folder + 1) + typed;
    }
    const auto name = base::visible_name(typed);
    if (!name) continue;
    const auto image = workings_.repository.catalog.find(*name);
    // Others' images are not judged by it: a wrong checksum takes them off offer.
    if (!image || image->taken_in_by != account_) continue;
    using Vouches = base::Outcome<std::vector<catalog::Vouch>>;
    const auto vouched = repository::change(
        workings_.repository, account_,
        [&](db::Transaction& t, repository::Change& change) -> Vouches {
          auto now = catalog::Catalog::find(t, image->name);
          if (!now) return base::refuse(now.error());
          return repository::vouch(t, change, *now,
                                   {{one.expected, source(account_, name_), ""}});
        });
    if (!vouched) return base::refuse(vouched.error());
    for (const auto& vouch : *vouched) {
      told += fmt::format(
          "; '{}': its {} {}", base::printable(*name, 80),
          crypto::title(one.expected.algorithm),
          vouch.agrees ? "is as listed" : "differs from it, so it is not handed out");
    }
  }
  return told;
}

base::Outcome<Filed> HandedList::commit() {
  crypto::Digester digester;
  digester.update(base::as_bytes(text_));
  Filed filed;
  filed.size = text_.size();
  filed.digests = digester.finish();
  if (const auto wrong = differing(filed.digests, announced_.digests)) {
    return base::refuse(differs(filed.digests, *wrong));
  }
  const auto list = crypto::parse_checksum_list(text_);
  if (!list) return base::refuse(list.error());
  auto told = hold_against_images(*list);
  if (!told) return base::refuse(told.error());
  auto entry =
      workings_.entry_of(transfer_.completed(text_.size(), filed.digests.sha256));
  entry.sentence = "a checksum list" + *told;
  const auto now = workings_.clock.wall();
  auto kept = workings_.repository.database->write(
      [&](db::Transaction& t) -> base::Outcome<void> {
        t.run("delete from handed_lists where (account = :a and name = :n) or at < :t",
              {account_, name_, now - kKeptDays * kDay});
        const auto count =
            t.query("select count(*) from handed_lists where account = :a", {account_})
                .front()
                .integer(0);
        if (count >= static_cast<std::int64_t>(kMostKept)) {
          return base::refuse(
              Kind::kBusy,
              fmt::format("{} checksum lists of this account wait for their images, as "
                          "many as are kept; hand the images in first",
                          count));
        }
        t.run(
            "insert into handed_lists (account, name, at, text) values (:a, :n, :t, :x)",
            {account_, name_, now, text_});
        ledger::Ledger::record(t, entry);
        return {};
      });
  if (!kept) return base::refuse(kept.error());
  transfer_.end_unrecorded(State::kComplete, "");
  filed.sentence = fmt::format(
      "'{}' is kept for {} days: images that it names are held against it when they are "
      "handed in{}",
      base::printable(name_, 80), kKeptDays, *told);
  return filed;
}

void HandedList::abandon(State how, const std::string& why, bool /*keep*/) {
  transfer_.end(how, why);
}

}  // namespace vantro::gate
