#include "catalog/kits.h"

#include <fmt/format.h>
#include <set>

#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::catalog {
namespace {

using base::Kind;

std::vector<Kit> kits_where(db::Transaction& transaction, const std::string& which,
                            const std::vector<db::Value>& values) {
  std::vector<Kit> kits;
  for (const auto& row : transaction.query(
           fmt::format("select k.id, k.name, k.remarks, k.made_at, p.remark, {} "
                       "from kits k join kit_parts p on p.kit = k.id "
                       "join images i on i.id = p.image {} order by k.name, p.position",
                       kImageColumns, which),
           values)) {
    if (kits.empty() || kits.back().id != row.integer(0)) {
      kits.push_back({row.integer(0), row.text(1), row.text(2), row.integer(3), {}});
    }
    kits.back().parts.push_back({image_of(row, 5), row.text(4)});
  }
  return kits;
}

base::Refusal no_such_kit(db::Transaction& transaction, const std::string& name) {
  std::vector<std::string> names;
  for (const auto& row : transaction.query("select name from kits order by name")) {
    names.push_back(row.text(0));
  }
  return {Kind::kNotFound, fmt::format("unknown kit '{}'", base::printable(name)),
          text::nearest(name, names).value_or("")};
}

base::Outcome<void> sound(const Kit& kit) {
  if (kit.parts.size() < 2) {
    return base::refuse(Kind::kInvalid, "a kit has at least two images");
  }
  std::set<std::int64_t> seen;
  for (const auto& part : kit.parts) {
    if (!seen.insert(part.image.id).second) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is in the kit twice", part.image.name));
    }
  }
  return {};
}

void write_parts(db::Transaction& transaction, const Kit& kit) {
  transaction.run("delete from kit_parts where kit = :k", {kit.id});
  std::int64_t position = 0;
  for (const auto& part : kit.parts) {
    transaction.run(
        "insert into kit_parts (kit, position, image, remark) values (:k, :p, :i, :r)",
        {kit.id, ++position, part.image.id, part.remark});
  }
  transaction.changed(kKitChanged, kit.name);
}

}  // namespace

base::Outcome<void> Kits::add(db::Transaction& transaction, Kit kit) {
  if (!kits_where(transaction, "where k.name = :n", {kit.name}).empty()) {
    return base::refuse(
        Kind::kExists,
        fmt::format("kit '{}' exists already; remove it first, or use another name",
                    kit.name));
  }
  if (auto fine = sound(kit); !fine) return fine;
  kit.id = transaction.next_number("kits");
  transaction.run("insert into kits (id, name, remarks, made_at) values (:i, :n, :r, :t)",
                  {kit.id, kit.name, kit.remarks, kit.made_at});
  write_parts(transaction, kit);
  return {};
}

base::Outcome<void> Kits::change(db::Transaction& transaction, const Kit& kit) {
  const auto before = kits_where(transaction, "where k.name = :n", {kit.name});
  if (before.empty()) return base::refuse(no_such_kit(transaction, kit.name));
  if (auto fine = sound(kit); !fine) return fine;
  auto now = kit;
  now.id = before.front().id;
  transaction.run("update kits set remarks = :r where id = :i", {now.remarks, now.id});
  write_parts(transaction, now);
  return {};
}

base::Outcome<void> Kits::remove(db::Transaction& transaction, const std::string& name) {
  const auto kits = kits_where(transaction, "where k.name = :n", {name});
  if (kits.empty()) return base::refuse(no_such_kit(transaction, name));
  transaction.run("delete from kit_parts where kit = :k", {kits.front().id});
  transaction.run("delete from kits where id = :k", {kits.front().id});
  transaction.changed(kKitChanged, name);
  return {};
}

base::Outcome<std::vector<Kit>> Kits::all() const {
  return database_.read([](db::Transaction& t) -> base::Outcome<std::vector<Kit>> {
    return kits_where(t, "", {});
  });
}

base::Outcome<Kit> Kits::find(const std::string& name) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<Kit> {
    auto kits = kits_where(t, "where k.name = :n", {name});
    if (kits.empty()) return base::refuse(no_such_kit(t, name));
    return std::move(kits.front());
  });
}

std::vector<Kit> Kits::with_content(db::Transaction& transaction,
                                    const std::string& sha256) {
  return kits_where(transaction,
                    "where k.id in (select q.kit from kit_parts q join images m on "
                    "m.id = q.image where m.sha256 = :s)",
                    {sha256});
}

base::Outcome<std::vector<Kit>> Kits::with_content(const std::string& sha256) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<Kit>> {
    return with_content(t, sha256);
  });
}

}  // namespace vantro::catalog
