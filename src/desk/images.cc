#include "desk/images.h"

#include <cstdint>
#include <fmt/format.h>
#include <map>

#include "backup/backups.h"
#include "base/counted.h"
#include "base/sizes.h"
#include "base/visible_name.h"

namespace vantro::desk {

using base::Kind;
using catalog::Catalog;
using repository::Change;
using repository::Claim;

namespace {

constexpr std::size_t kLongestReason = 300;

// A fact in the ledger: long remarks are shortened; the image has all of them.
std::string quoted(const std::string& text) {
  return text.empty() ? "none" : "'" + base::printable(text, 120) + "'";
}

std::string sentence_of(const std::vector<catalog::FactChange>& changes) {
  std::string text;
  for (const auto& one : changes) {
    text += fmt::format("{}{}: {} -> {}", text.empty() ? "" : "; ", one.fact,
                        quoted(one.before), quoted(one.after));
  }
  return text;
}

base::Outcome<std::string> reason(const std::string& text) {
  const auto begin = text.find_first_not_of(" \t\r\n");
  if (begin == std::string::npos) {
    return base::refuse(Kind::kInvalid,
                        "give the reason; devices that ask for the image are told it");
  }
  if (text.size() > kLongestReason || base::printable(text, kLongestReason) != text) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("the reason must be one line of at most {} bytes", kLongestReason));
  }
  return text;
}

}  // namespace

base::Outcome<catalog::Image> find_image(const repository::Repository& repository,
                                         const std::string& typed) {
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  return repository.catalog.find(*name);
}

base::Outcome<std::vector<catalog::FactChange>> Images::edit(
    const std::string& typed, const std::map<std::string, std::string>& facts) {
  using Result = base::Outcome<std::vector<catalog::FactChange>>;
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  return repository::change(
      repository_, caller_.by(), [&](db::Transaction& t, Change& change) -> Result {
        auto image = Catalog::find(t, *name);
        if (!image) return base::refuse(image.error());
        auto changes = Catalog::edit(t, *image, facts);
        if (changes && !changes->empty()) {
          change.record(t, "image-edit", image->name, image->digests.sha256,
                        sentence_of(*changes));
        }
        return changes;
      });
}

base::Outcome<std::vector<Recognised>> Images::recognise_all(
    const std::vector<text::Recogniser>& recognisers, bool fill) {
  using Result = base::Outcome<std::vector<Recognised>>;
  catalog::Filter all;
  all.most = SIZE_MAX / 2;
  const auto listing = repository_.catalog.list(all);
  if (!listing) return base::refuse(listing.error());
  std::map<std::string, const catalog::Image*>
      images;  // an image may be in several groups
  for (const auto& row : listing->images) images.emplace(row.image.name, &row.image);
  std::vector<Recognised> told;
  for (const auto& [name, image] : images) {
    for (auto& one : catalog::suggestions(recognisers, name)) {
      const auto known = catalog::fact(image->facts, one.fact);
      const bool better = image->facts.is_guessed(one.fact) && !one.guessed;
      if (known.empty() || better) told.push_back({name, std::move(one)});
    }
  }
  if (!fill || told.empty()) return told;
  return repository::change(
      repository_, caller_.by(), [&](db::Transaction& t, Change& change) -> Result {
        for (std::size_t i = 0; i < told.size();) {
          auto image = Catalog::find(t, told[i].image);
          if (!image) return base::refuse(image.error());
          catalog::Facts found;
          for (const auto& name = told[i].image; i < told.size() && told[i].image == name;
               ++i) {
            const auto& one = told[i].suggestion;
            (void)catalog::set_fact(found, one.fact, one.text);  // it was tried before
            if (one.guessed) found.guessed.push_back(one.fact);
          }
          const auto changes = Catalog::complete(t, *image, found);
          change.record(t, "image-edit", image->name, image->digests.sha256,
                        "recognised: " + sentence_of(changes));
        }
        return told;
      });
}

base::Outcome<std::vector<catalog::Offer>> Images::withdraw(const std::string& typed,
                                                            const std::string& why) {
  using Result = base::Outcome<std::vector<catalog::Offer>>;
  const auto told = reason(why);
  if (!told) return base::refuse(told.error());
  const auto found = find_image(repository_, typed);
  if (!found) return base::refuse(found.error());
  return repository::change(repository_, caller_.by(),
                            [&](db::Transaction& t, Change& change) -> Result {
                              const auto image = Catalog::find(t, found->name);
                              if (!image) return base::refuse(image.error());
                              return repository::withdraw(t, change, *image, *told);
                            });
}

base::Outcome<Returned> Images::take_back_withdrawal(const std::string& typed,
                                                     bool with_offers) {
  const auto found = find_image(repository_, typed);
  if (!found) return base::refuse(found.error());
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<Returned> {
        if (auto back = Catalog::take_back_withdrawal(t, *found); !back) {
          return base::refuse(back.error());
        }
        Returned result;
        std::vector<std::string> names;
        for (auto& ended :
             catalog::Offers::ended_by_withdrawal(t, found->id, found->withdrawal->at)) {
          // Their time may be over, and their name may stand for something else.
          const bool over = ended.until && *ended.until <= change.now();
          auto again = ended;
          again.since = change.now();
          again.ended_at.reset();
          again.why.clear();
          const auto made =
              with_offers && !over
                  ? catalog::Offers::add(t, again)
                  : base::Outcome<catalog::Offer>(base::refuse(Kind::kDenied, ""));
          if (!made) {
            result.not_back.push_back(std::move(ended));
            continue;
          }
          names.push_back("'" + made->name + "'");
          result.back.push_back(*made);
        }
        change.record(
            t, "image-return", found->name, found->digests.sha256,
            fmt::format("no longer withdrawn; it was: {}{}", found->withdrawal->why,
                        names.empty() ? ""
                                      : fmt::format("; on offer again: {}",
                                                    fmt::join(names, ", "))));
        return result;
      });
}

base::Outcome<void> Images::remove(const std::string& typed) {
  const auto found = find_image(repository_, typed);
  if (!found) return base::refuse(found.error());
  const auto name = base::printable(found->name, 120);
  auto contents = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<std::vector<std::string>> {
        const auto image = Catalog::find(t, found->name);
        if (!image) return base::refuse(image.error());
        if (image->offered) {
          return base::refuse(Kind::kDenied,
                              fmt::format("'{0}' is on offer; withdraw it first: vantro "
                                          "image withdraw {0} --reason REASON",
                                          name));
        }
        const auto kits = catalog::Kits::with_content(t, image->digests.sha256);
        if (!kits.empty()) {
          return base::refuse(Kind::kDenied,
                              fmt::format("'{0}' is a part of the kit '{1}'; take it out "
                                          "first: vantro kit change '{1}' --drop {0}",
                                          name, kits.front().name));
        }
        const auto sent = backup::Backups::with_content(t, image->digests.sha256);
        if (sent) {
          return base::refuse(
              Kind::kDenied,
              fmt::format(
                  "{} has sent the same bytes as a backup ('{}', revision {}), so "
                  "the image stays",
                  sent->holder.name, base::printable(sent->name, 80), sent->number));
        }
        const auto jobs = jobs::Jobs::needing(t, image->digests.sha256);
        if (!jobs.empty()) {
          return base::refuse(Kind::kDenied,
                              fmt::format("the open job of {0} needs '{1}'; end that job "
                                          "first: vantro job end {0}",
                                          jobs.front().device_name, name));
        }
        auto gone = Catalog::remove(t, *image);
        change.record(
            t, "image-remove", image->name, image->digests.sha256,
            fmt::format("for good: {}, added {} by {}", base::size_text(image->size),
                        base::local_time(image->taken_in_at), image->taken_in_by));
        return gone;
      });
  if (!contents) return base::refuse(contents.error());
  for (const auto& sha256 : *contents) repository_.contents.remove_if_unrecorded(sha256);
  return {};
}

base::Outcome<Vouched> Images::vouch(const std::string& typed,
                                     const std::vector<Claim>& claims) {
  if (claims.empty()) {
    return base::refuse(Kind::kInvalid, "there is no checksum to compare with");
  }
  auto found = find_image(repository_, typed);
  if (!found) return base::refuse(found.error());
  std::vector<crypto::Expected> wanted;
  for (const auto& claim : claims) wanted.push_back(claim.expected);
  if (auto done = repository_.missing_digests.complete(*found, wanted); !done) {
    return base::refuse(done.error());
  }
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<Vouched> {
        Vouched result{*found, {}};
        auto vouches = repository::vouch(t, change, result.image, claims);
        if (!vouches) return base::refuse(vouches.error());
        result.vouches = std::move(*vouches);
        return result;
      });
}

base::Outcome<catalog::Image> Images::retract(const std::string& typed) {
  const auto found = find_image(repository_, typed);
  if (!found) return base::refuse(found.error());
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<catalog::Image> {
        auto image = *found;
        const auto count = catalog::Vouches::retract(t, image, change.now());
        if (!count) return base::refuse(count.error());
        change.record(
            t, "image-retract", image.name, image.digests.sha256,
            fmt::format("{} undone; {} -> {}", base::counted(*count, "comparison"),
                        catalog::word(found->vouching), catalog::word(image.vouching)));
        return image;
      });
}

base::Outcome<catalog::Document> Images::attach(const std::string& typed,
                                                const std::string& document,
                                                base::ByteView bytes) {
  const auto image = find_image(repository_, typed);
  if (!image) return base::refuse(image.error());
  const auto name = base::visible_name(document);
  if (!name) return base::refuse(name.error());
  if (auto fits = catalog::Documents::check_name(*name); !fits) {
    return base::refuse(fits.error());
  }
  Change change(repository_, caller_.by());
  auto arrival = repository_.folder.arrive({"image", caller_.name, *name}, change.now(),
                                           bytes.size());
  if (!arrival) return base::refuse(arrival.error());
  const auto refused = [&](const base::Refusal& refusal) {
    arrival->discard();
    return base::refuse(refusal);
  };
  if (auto written = arrival->write(bytes); !written) return refused(written.error());
  const auto digests = arrival->seal();
  if (!digests) return refused(digests.error());
  const catalog::Document made{*name, digests->sha256, bytes.size(), change.now()};
  auto done = repository_.filing.file(
      *arrival,
      [&](db::Transaction& t) -> base::Outcome<void> {
        change.begin(t);
        catalog::Documents::attach(t, image->id, made);
        change.record(t, "document-add", image->name, made.sha256, *name);
        return {};
      },
      made.added_at);
  if (!done) return refused(done.error());
  change.committed();
  return made;
}

base::Outcome<void> Images::detach(const std::string& typed,
                                   const std::string& document) {
  const auto image = find_image(repository_, typed);
  if (!image) return base::refuse(image.error());
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        if (auto done = catalog::Documents::detach(t, image->id, document, change.now());
            !done) {
          return done;
        }
        change.record(t, "document-remove", image->name, "", document);
        return {};
      });
}

}  // namespace vantro::desk
