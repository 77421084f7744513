// The lists of the catalogue: by platform, role and version, with the columns of each
// group; the content of a platform.
#include <algorithm>
#include <cstdint>
#include <fmt/format.h>
#include <functional>
#include <utility>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "catalog/catalog.h"
#include "db/like.h"
#include "text/version.h"
#include "text/version_range.h"

namespace vantro::catalog {
namespace {

using base::Kind;

// -- Conditions of a list --

struct Where {
  std::string sql;
  std::vector<db::Value> values;
  // The rows of `images` are only looked up if a condition is about them.
  std::string from() const {
    return std::string("from image_platforms p ") +
           (about_images ? "join images i on i.id = p.image " : "") + sql;
  }
  void and_of_image(const std::string& condition,
                    const std::vector<db::Value>& more = {}) {
    about_images = true;
    and_that(condition, more);
  }
  // "?" stands for the values, in their order.
  void and_that(const std::string& condition, const std::vector<db::Value>& more = {}) {
    sql += sql.empty() ? "where " : " and ";
    for (const auto c : condition) {
      if (c == '?') {
        sql += fmt::format(":v{}", ++count);
      } else {
        sql += c;
      }
    }
    values.insert(values.end(), more.begin(), more.end());
  }
  int count = 0;
  bool about_images = false;
};

base::Outcome<void> where_version(Where& where, const std::string& text) {
  const auto range = text::VersionRange::parse(text);
  if (!range) return base::refuse(range.error());
  if (range->is_any()) return {};
  where.and_that("p.version_key >= ? and p.version_key <> ''", {range->from()});
  if (range->behind()) where.and_that("p.version_key < ?", {*range->behind()});
  return {};
}

base::Outcome<void> where_fact(Where& where, const std::string& name,
                               const std::string& text) {
  const auto folded = base::folded(text);
  if (name == "platform") {
    where.and_that("lower(p.platform) = ?", {folded});
  } else if (name == "hardware") {
    where.and_of_image("(i.hardware = '' or instr(? || lower(i.hardware) || ?, ?) > 0)",
                       {"\n", "\n", "\n" + folded + "\n"});
  } else if (name == "version") {
    return where_version(where, text);
  } else if (name == "line") {
    Facts facts;
    facts.line = text;
    where.and_that("p.line_key = ?", {line_key(facts)});
  } else if (name == "remarks") {
    where.and_of_image("instr(lower(i.remarks), ?) > 0", {folded});
  } else if (name == "space") {
    const auto space = base::parse_size(text);
    if (!space) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("space: '{}' is not a size; example: '800 MiB'",
                                      base::printable(text, 40)));
    }
    where.and_of_image("i.space <= ?", {static_cast<std::int64_t>(*space)});
  } else if (name == "stage" && folded == "withdrawn") {
    where.and_that("p.withdrawn = 1");
  } else if (name == "maker" || name == "role") {
    where.and_that("p." + name + " = ?", {folded});
  } else if (name == "stage" || name == "source") {
    where.and_of_image("lower(i." + name + ") = ?", {folded});
  } else {
    return base::refuse(Kind::kInvalid, fmt::format("images can't be filtered by '{}'",
                                                    base::printable(name, 40)));
  }
  return {};
}

base::Outcome<Where> where_of(const Filter& filter) {
  Where where;
  for (const auto& [name, text] : filter.facts) {
    if (auto added = where_fact(where, name, text); !added) {
      return base::refuse(added.error());
    }
  }
  if (filter.vouching) {
    // Literal, not a value: the index of contradicted ones depends on it.
    where.and_of_image(fmt::format("i.vouching = '{}'", word(*filter.vouching)));
  }
  if (filter.offered) {
    where.and_that(std::string(*filter.offered ? "" : "not ") +
                   "exists (select 1 from offers o where o.image = p.image and "
                   "o.ended_at is null)");
  }
  if (filter.newest_only) where.and_that("p.newest = 1");
  return where;
}

// So many images with a part of a name are found by one statement, whatever their
// platforms.
constexpr std::size_t kMostTogether = 2'000;
// So many ids are passed to the database.
constexpr std::size_t kMostIds = 20'000;

// Rows that one statement finds, in the list's order.
struct Part {
  // Made when it is needed: a page needs few parts.
  std::function<Where()> where;
  // How many there are, if that is known without asking.
  std::optional<std::size_t> rows;
};

Where with_one_of(Where where, const std::vector<std::int64_t>& images) {
  where.and_that("p.image in (select value from json_each(cast(? as text)))",
                 {fmt::format("[{}]", fmt::join(images, ","))});
  return where;
}

Where on_platform(Where where, const std::string& platform, const std::string& part,
                  const std::vector<std::int64_t>& images) {
  where.and_that("p.platform = ?", {platform});
  if (images.size() <= kMostIds) return with_one_of(std::move(where), images);
  // They are not rare there. Not "exists": PostgreSQL may read all names for that.
  where.and_that(
      "(select 1 from image_names n where n.image = p.image and lower(n.name) like ? "
      "escape '\\' limit 1) = 1",
      {"%" + db::like(part) + "%"});
  return where;
}

// The parts of a list lie one behind the other. Images with a part of a name are listed
// by their ids: if they are many, for one platform after the other.
std::vector<Part> parts_of(const Filter& filter, const Where& where) {
  if (!filter.named) return {{[&] { return where; }, std::nullopt}};
  std::vector<Part> parts;
  std::vector<std::int64_t> together;
  const auto asked = filter.facts.find("platform");
  for (const auto& [platform, images] : filter.named->by_platform) {
    if (asked != filter.facts.end() &&
        base::folded(asked->second) != base::folded(platform)) {
      continue;
    }
    if (together.size() <= kMostTogether) {
      together.insert(together.end(), images.begin(), images.end());
    }
    auto& part = parts.emplace_back();
    part.where = [&where, &filter, &platform = platform, &images = images] {
      return on_platform(where, platform, filter.named->part, images);
    };
    if (where.sql.empty()) part.rows = images.size();
  }
  if (parts.empty() || together.size() > kMostTogether) return parts;
  return {{[&where, together] { return with_one_of(where, together); }, std::nullopt}};
}

std::size_t count_rows(db::Transaction& t, const Where& where, std::size_t most) {
  auto values = where.values;
  values.emplace_back(static_cast<std::int64_t>(most));
  return static_cast<std::size_t>(t.query("select count(*) from (select 1 " +
                                              where.from() + " limit :most) as counted",
                                          values)
                                      .front()
                                      .integer(0));
}

void add_rows(db::Transaction& t, const Where& where, std::size_t most, std::size_t skip,
              std::vector<Listed>& images) {
  auto values = where.values;
  values.emplace_back(static_cast<std::int64_t>(most));
  values.emplace_back(static_cast<std::int64_t>(skip));
  // Expensive columns are looked up only for the rows that are shown.
  const std::string order = " order by p.platform, p.role, p.version_key desc, p.image ";
  const auto rows = t.query("with page as (select p.* " + where.from() + order +
                                "limit :most offset :skip) select " + kImageColumns +
                                ", p.platform, p.newest" +
                                " from page p join images i on i.id = p.image" + order,
                            values);
  for (const auto& row : rows) {
    images.push_back({row.text(kImageColumnCount), image_of(row),
                      row.integer(kImageColumnCount + 1) != 0, false});
  }
}

// In groups of a size that a person can read.
void mark_confusable(std::vector<Listed>& images) {
  constexpr std::ptrdiff_t kLargestGroup = 300;
  const auto same_group = [](const Listed& a, const Listed& b) {
    return a.platform == b.platform && a.image.facts.role == b.image.facts.role;
  };
  for (auto first = images.begin(); first != images.end();) {
    const auto last = std::find_if_not(
        first, images.end(), [&](const Listed& one) { return same_group(*first, one); });
    std::vector<text::Version> versions;
    if (last - first <= kLargestGroup) {
      for (auto one = first; one != last; ++one) {
        versions.emplace_back(one->image.facts.version);
      }
    }
    for (std::size_t a = 0; a < versions.size(); ++a) {
      for (std::size_t b = a + 1; b < versions.size(); ++b) {
        if (!text::easily_confused(versions[a], versions[b])) continue;
        first[static_cast<std::ptrdiff_t>(a)].confusable = true;
        first[static_cast<std::ptrdiff_t>(b)].confusable = true;
      }
    }
    first = last;
  }
}

}  // namespace

base::Outcome<Listing> Catalog::list(const Filter& filter) const {
  const auto conditions = where_of(filter);
  if (!conditions) return base::refuse(conditions.error());
  const auto parts = parts_of(filter, *conditions);
  return database_.read([&](db::Transaction& t) -> base::Outcome<Listing> {
    Listing listing;
    std::size_t counted = 0;
    auto skip = filter.skip;
    for (const auto& part : parts) {
      const auto lacking = filter.most - listing.images.size();
      const bool count_more = filter.counted && counted <= Listing::kMostCounted;
      if (lacking == 0 && !count_more) break;
      // Of an only part nobody may need the number.
      const auto rows =
          part.rows ? *part.rows
          : parts.size() == 1 && !filter.counted
              ? SIZE_MAX
              : count_rows(t, part.where(), std::max(Listing::kMostCounted, skip) + 1);
      counted += rows;
      if (rows <= skip) {
        skip -= rows;
      } else if (lacking > 0) {
        add_rows(t, part.where(), lacking, std::exchange(skip, 0), listing.images);
      }
    }
    if (filter.counted) {
      listing.in_all = std::min(counted, Listing::kMostCounted);
      listing.and_more = counted > Listing::kMostCounted;
    }
    mark_confusable(listing.images);
    return listing;
  });
}

base::Outcome<std::vector<PlatformSummary>> Catalog::platforms() const {
  using All = std::vector<PlatformSummary>;
  return database_.read([](db::Transaction& t) -> base::Outcome<All> {
    All all;
    for (const auto& row :
         t.query("select platform, count(*) from image_platforms where platform <> '' "
                 "group by platform order by platform")) {
      all.push_back({row.text(0), static_cast<std::size_t>(row.integer(1))});
    }
    return all;
  });
}

base::Outcome<std::vector<LineSummary>> Catalog::lines(
    const std::string& platform) const {
  using All = std::vector<LineSummary>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<All> {
    const std::string where = platform.empty() ? "" : "where lower(platform) = :p ";
    std::vector<db::Value> values;
    if (!platform.empty()) values.emplace_back(base::folded(platform));
    const auto rows = t.query(
        "with lines as (select platform, role, line_key, count(*) as images, max(case "
        "when newest = 1 then image end) as newest, min(image) as one from "
        "image_platforms " +
            where +
            "group by platform, role, line_key) select l.platform, l.role, l.images, "
            "i.name, i.version, o.line, o.version from lines l join images o on o.id = "
            "l.one left join images i on i.id = l.newest order by l.platform, l.role, "
            "l.line_key",
        values);
    All all;
    for (const auto& row : rows) {
      LineSummary one;
      one.platform = row.text(0);
      one.role = row.text(1);
      one.images = static_cast<std::size_t>(row.integer(2));
      one.newest = row.text(3);
      one.version = row.text(4);
      Facts facts;
      facts.line = row.text(5);
      facts.version = row.text(6);
      one.line = facts.release_line();
      all.push_back(std::move(one));
    }
    return all;
  });
}

}  // namespace vantro::catalog
