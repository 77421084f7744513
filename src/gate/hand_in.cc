#include "gate/hand_in.h"

#include <fmt/format.h>

#include "base/visible_name.h"
#include "crypto/checksum_list.h"
#include "crypto/file_form.h"
#include "gate/workings.h"
#include "repository/change.h"
#include "repository/image_changes.h"

namespace vantro::gate {

using base::Kind;

namespace {

constexpr base::WallTime kDay = 86'400'000;

std::string source(const std::string& account, const std::string& list) {
  return fmt::format("{}, which {} handed in", list, account);
}

bool is_own_list(const std::string& list, const std::string& image) {
  return base::folded(list).starts_with(base::folded(image) + ".");
}

// The sources of facts, in name and content.
std::string facts_text(const Taken& taken) {
  std::string text;
  for (const auto& one : taken.suggestions) {
    text += fmt::format("{}{} {}", text.empty() ? "; " : ", ", one.fact, one.text);
  }
  return text;
}

}  // namespace

HandedFile::HandedFile(Workings& workings, std::string account,
                       const Announced& announced, ImageIntake intake)
    : workings_(workings), account_(std::move(account)), intake_(std::move(intake)) {
  intake_.expect(announced.digests);
  // Only to know early which digests will be compared; commit() asks again.
  if (const auto known = claims()) intake_.need(*known);
}

base::Outcome<void> HandedFile::write(base::ByteView bytes) {
  return intake_.write(bytes);
}

base::Outcome<std::vector<Claim>> HandedFile::claims() const {
  using Claims = std::vector<Claim>;
  const auto& image = intake_.name();
  return workings_.repository.database->read([&](db::Transaction& t)
                                                 -> base::Outcome<Claims> {
    Claims claims;
    for (const auto& row :
         t.query("select name, text from handed_lists where account = :a and at >= :t",
                 {account_, workings_.clock.wall() - kListsKeptDays * kDay})) {
      const auto list = crypto::parse_checksum_list(row.text(1));
      if (!list) continue;  // it was read on arrival
      const auto own = list->of(image);
      if (own.empty() && is_own_list(row.text(0), image)) {
        return base::refuse(
            Kind::kInvalid,
            fmt::format("the checksum list '{}' does not name '{}'; nothing was added",
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

base::Outcome<Filed> HandedFile::commit() {
  const auto form = intake_.finish();
  if (!form) return base::refuse(form.error());
  const bool list =
      *form == crypto::FileForm::kChecksumList ||
      (*form == crypto::FileForm::kOther &&
       crypto::form_by_name(intake_.name()) == crypto::FileForm::kChecksumList);
  return list ? keep_list() : file_image();
}

base::Outcome<Filed> HandedFile::file_image() {
  auto wanted = claims();
  if (!wanted) return base::refuse(wanted.error());
  intake_.add_claims(*wanted);
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

void HandedFile::abandon(State how, const std::string& why, bool /*keep*/) {
  intake_.fail(how, why);
}

base::Outcome<void> HandedFile::keep_list(db::Transaction& t,
                                          const std::string& text) const {
  const auto now = workings_.clock.wall();
  t.run("delete from handed_lists where (account = :a and name = :n) or at < :t",
        {account_, intake_.name(), now - kListsKeptDays * kDay});
  const auto count =
      t.query("select count(*) from handed_lists where account = :a", {account_})
          .front()
          .integer(0);
  if (count >= static_cast<std::int64_t>(kMostListsKept)) {
    return base::refuse(
        Kind::kBusy, fmt::format("too many checksum lists of this account wait for their "
                                 "images: {}, limit {}; hand the images in first",
                                 count, kMostListsKept));
  }
  t.run("insert into handed_lists (account, name, at, text) values (:a, :n, :t, :x)",
        {account_, intake_.name(), now, text});
  return {};
}

base::Outcome<Filed> HandedFile::keep_list() {
  const auto refused = [&](const base::Refusal& refusal) {
    intake_.fail(State::kFailed, refusal.sentence);
    return base::refuse(refusal);
  };
  const auto text = intake_.text();
  if (!text) return refused(text.error());
  if (text->size() > kLongestList) {
    return refused({Kind::kTooLarge, "a checksum list can have 1 MiB at most"});
  }
  Filed filed;
  filed.size = text->size();
  if (auto same = intake_.compare_announced(); !same) return refused(same.error());
  filed.digests = intake_.digests();
  const auto list = crypto::parse_checksum_list(*text);
  if (!list) return refused(list.error());
  const auto compared = repository::compare_with_list(workings_.repository, account_,
                                                      source(account_, intake_.name()),
                                                      intake_.name(), *list);
  if (!compared) return refused(compared.error());
  std::string told;
  for (const auto& one : *compared) {
    told += fmt::format(
        "; '{}': its {} {}", base::printable(one.image, 80), crypto::title(one.algorithm),
        one.agrees ? "is as listed" : "differs from it, so it is not handed out");
  }
  auto kept = intake_.keep_otherwise(
      "a checksum list" + told, [&](db::Transaction& t) { return keep_list(t, *text); });
  if (!kept) return base::refuse(kept.error());
  filed.sentence = fmt::format(
      "'{}' is kept for {} days: images that it names are compared with it when they are "
      "handed in{}",
      base::printable(intake_.name(), 80), kListsKeptDays, told);
  return filed;
}

}  // namespace vantro::gate
