#include "desk/images.h"

#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::desk {

using base::Kind;
using catalog::Catalog;
using repository::Change;
using repository::Claim;

namespace {

constexpr std::size_t kLongestReason = 300;

// Of a fact in the ledger: long remarks are cut, and can be had from the image.
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

base::Outcome<void> Images::take_back_withdrawal(const std::string& typed) {
  const auto found = find_image(repository_, typed);
  if (!found) return base::refuse(found.error());
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        if (auto back = Catalog::take_back_withdrawal(t, *found); !back) return back;
        change.record(t, "image-return", found->name, found->digests.sha256,
                      "no longer withdrawn; it was: " + found->withdrawal->why);
        return {};
      });
}

base::Outcome<Vouched> Images::vouch(const std::string& typed,
                                     const std::vector<Claim>& claims) {
  if (claims.empty()) {
    return base::refuse(Kind::kInvalid, "there is no checksum to compare with");
  }
  const auto found = find_image(repository_, typed);
  if (!found) return base::refuse(found.error());
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<Vouched> {
        Vouched result{*found, {}};
        result.vouches = repository::vouch(t, change, result.image, claims);
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
            fmt::format("{} checksum(s) taken back; {} -> {}", *count,
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
