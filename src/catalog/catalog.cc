#include "catalog/catalog.h"

#include <fmt/format.h>

#include "text/nearest.h"

namespace vantro::catalog {
namespace {

using base::Kind;

const std::string kColumns =
    "i.id, i.name, i.size, i.md5, i.sha1, i.sha256, i.sha512, i.taken_in_at, "
    "i.taken_in_by";

Image image_of(const db::Row& row) {
  Image image;
  image.id = row.integer(0);
  image.name = row.text(1);
  image.size = static_cast<std::uint64_t>(row.integer(2));
  image.digests = {row.text(3), row.text(4), row.text(5), row.text(6)};
  image.taken_in_at = row.integer(7);
  image.taken_in_by = row.text(8);
  return image;
}

db::Rows images_where(db::Transaction& transaction, const std::string& condition,
                      std::initializer_list<db::Value> values) {
  return transaction.query(
      fmt::format("select {}, (select count(*) from offers o where o.image = i.id) "
                  "from images i {} order by i.name",
                  kColumns, condition),
      values);
}

Image image_with_offer(const db::Row& row) {
  auto image = image_of(row);
  image.on_offer = row.integer(9) > 0;
  return image;
}

void offer(db::Transaction& transaction, Image& image, base::WallTime since) {
  transaction.run("insert into offers (name, image, since) values (:n, :i, :s)",
                  {image.name, image.id, since});
  image.on_offer = true;
}

}  // namespace

base::Refusal name_taken(const Image& known) {
  return {
      Kind::kExists,
      fmt::format("'{}' is known with other bytes (SHA-256 {}...); images never change, "
                  "so give this one another name",
                  known.name, known.digests.sha256.substr(0, 16))};
}

base::Outcome<Added> Catalog::add(db::Transaction& transaction, Image image, bool hold) {
  const auto same_name = images_where(transaction, "where i.name = :n", {image.name});
  if (!same_name.empty()) {
    auto there = image_with_offer(same_name.front());
    if (there.digests.sha256 != image.digests.sha256) {
      return base::refuse(name_taken(there));
    }
    if (!hold && !there.on_offer) offer(transaction, there, image.taken_in_at);
    return Added{Added::What::kAlreadyThere, std::move(there), {}};
  }
  const auto same_bytes = transaction.query(
      "select name from images where sha256 = :s order by id", {image.digests.sha256});
  image.id =
      transaction.query("select coalesce(max(id), 0) + 1 from images").front().integer(0);
  transaction.run(
      "insert into images (id, name, size, md5, sha1, sha256, sha512, taken_in_at, "
      "taken_in_by) values (:i, :n, :z, :a, :b, :c, :d, :t, :w)",
      {image.id, image.name, static_cast<std::int64_t>(image.size), image.digests.md5,
       image.digests.sha1, image.digests.sha256, image.digests.sha512, image.taken_in_at,
       image.taken_in_by});
  image.on_offer = false;
  if (!hold) offer(transaction, image, image.taken_in_at);
  if (same_bytes.empty()) return Added{Added::What::kNew, std::move(image), {}};
  return Added{Added::What::kNewName, std::move(image), same_bytes.front().text(0)};
}

base::Outcome<std::vector<Image>> Catalog::images() const {
  return database_.read([](db::Transaction& t) -> base::Outcome<std::vector<Image>> {
    std::vector<Image> images;
    for (const auto& row : images_where(t, "", {}))
      images.push_back(image_with_offer(row));
    return images;
  });
}

base::Outcome<std::vector<Offer>> Catalog::offers() const {
  return database_.read([](db::Transaction& t) -> base::Outcome<std::vector<Offer>> {
    std::vector<Offer> offers;
    const auto rows = t.query(
        fmt::format("select {}, o.name, o.since from offers o join images i on i.id = "
                    "o.image order by o.name",
                    kColumns));
    for (const auto& row : rows) {
      offers.push_back({row.text(9), image_of(row), row.integer(10)});
      offers.back().image.on_offer = true;
    }
    return offers;
  });
}

base::Outcome<Image> Catalog::find(const std::string& name) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<Image> {
    const auto rows = images_where(t, "where i.name = :n", {name});
    if (!rows.empty()) return image_with_offer(rows.front());
    std::vector<std::string> names;
    for (const auto& row : t.query("select name from images order by name")) {
      names.push_back(row.text(0));
    }
    return base::refuse(Kind::kNotFound, fmt::format("there is no image '{}'", name),
                        text::nearest(name, names).value_or(""));
  });
}

base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>> Catalog::contents()
    const {
  using Contents = std::vector<std::pair<std::string, std::uint64_t>>;
  return database_.read([](db::Transaction& t) -> base::Outcome<Contents> {
    Contents contents;
    for (const auto& row : t.query("select distinct sha256, size from images")) {
      contents.emplace_back(row.text(0), static_cast<std::uint64_t>(row.integer(1)));
    }
    return contents;
  });
}

}  // namespace vantro::catalog
