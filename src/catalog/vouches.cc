#include "catalog/vouches.h"

#include <algorithm>
#include <fmt/format.h>

namespace vantro::catalog {
namespace {

using base::Kind;
using crypto::Algorithm;

bool weak(Algorithm algorithm) {
  return algorithm == Algorithm::kMd5 || algorithm == Algorithm::kSha1;
}

std::vector<Vouch> read(db::Transaction& transaction, std::int64_t image) {
  std::vector<Vouch> vouches;
  for (const auto& row : transaction.query(
           "select id, at, who, source, algorithm, hex, agrees, signer, retracted_at "
           "from vouches where image = :i order by id",
           {image})) {
    Vouch vouch;
    vouch.id = row.integer(0);
    vouch.at = row.integer(1);
    vouch.who = row.text(2);
    vouch.source = row.text(3);
    // As add() wrote it.
    vouch.expected = crypto::Expected::parse(row.text(4) + ":" + row.text(5)).value();
    vouch.agrees = row.integer(6) != 0;
    vouch.signer = row.text(7);
    if (!row.is_null(8)) vouch.retracted_at = row.integer(8);
    vouches.push_back(std::move(vouch));
  }
  return vouches;
}

void bring_up_to_date(db::Transaction& transaction, Image& image) {
  image.vouching = vouching_from(read(transaction, image.id));
  transaction.run("update images set vouching = :v where id = :i",
                  {word(image.vouching), image.id});
  transaction.changed(kImageChanged, std::to_string(image.id));
}

}  // namespace

Vouching vouching_from(const std::vector<Vouch>& vouches) {
  auto result = Vouching::kUnvouched;
  for (const auto& vouch : vouches) {
    if (vouch.retracted_at) continue;
    if (!vouch.agrees) return Vouching::kContradicted;
    result = std::max(
        result, weak(vouch.expected.algorithm) ? Vouching::kWeakly : Vouching::kVouched);
  }
  return result;
}

base::Outcome<Vouch> Vouches::add(db::Transaction& transaction, Image& image,
                                  Vouch vouch) {
  const auto& expected = vouch.expected;
  const auto& own = crypto::value_of(image.digests, expected.algorithm);
  if (own.empty()) return base::refuse(digest_follows(image.name, expected.algorithm));
  vouch.agrees = own == expected.hex;
  vouch.id = transaction.next_number("vouches");
  transaction.run(
      "insert into vouches (id, image, at, who, source, algorithm, hex, agrees, signer) "
      "values (:i, :m, :t, :w, :s, :a, :h, :g, :k)",
      {vouch.id, image.id, vouch.at, vouch.who, vouch.source,
       crypto::title(expected.algorithm), expected.hex, std::int64_t{vouch.agrees},
       vouch.signer});
  bring_up_to_date(transaction, image);
  return vouch;
}

base::Outcome<std::size_t> Vouches::retract(db::Transaction& transaction, Image& image,
                                            base::WallTime now) {
  const auto all = read(transaction, image.id);
  const bool contradicted = image.vouching == Vouching::kContradicted;
  std::size_t count = 0;
  for (const auto& vouch : all) {
    if (vouch.retracted_at || (contradicted && vouch.agrees)) continue;
    transaction.run("update vouches set retracted_at = :t where id = :i",
                    {now, vouch.id});
    ++count;
  }
  if (count == 0) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' was not compared with its maker's checksum", image.name));
  }
  bring_up_to_date(transaction, image);
  return count;
}

base::Outcome<std::vector<Vouch>> Vouches::of(std::int64_t image) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<Vouch>> {
    return read(t, image);
  });
}

}  // namespace vantro::catalog
