#include "catalog/catalog.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "catalog/offers.h"
#include "text/nearest.h"
#include "text/version.h"

namespace vantro::catalog {
namespace {

using base::Kind;

// Of an archive; longer lists show only their first members.
constexpr std::size_t kMostMembersKept = 1000;

// A release line of a platform and role.
struct Line {
  std::string platform, role, key;
};

std::vector<Line> lines_of(db::Transaction& transaction, std::int64_t image) {
  std::vector<Line> lines;
  for (const auto& row : transaction.query(
           "select platform, role, line_key from image_platforms where image = :i",
           {image})) {
    lines.push_back({row.text(0), row.text(1), row.text(2)});
  }
  return lines;
}

// The newest image of each line is stored: working it out for a list of 100,000 takes
// longer than people want to wait. Only rows that change are written.
void mark_newest(db::Transaction& transaction, const std::vector<Line>& lines) {
  for (const auto& one : lines) {
    transaction.run(
        "update image_platforms set newest = 1 - newest where platform = :p and role = "
        ":r and line_key = :l and newest <> case when withdrawn = 0 and version_key <> "
        "'' and version_key = (select max(q.version_key) from image_platforms q where "
        "q.platform = :p2 and q.role = :r2 and q.line_key = :l2 and q.withdrawn = 0) "
        "then 1 else 0 end",
        {one.platform, one.role, one.key, one.platform, one.role, one.key});
  }
}

// Changes the rows of an image, and marks the newest ones of the lines that it was in,
// and is in now.
template <class Change>
void changing_lines(db::Transaction& transaction, std::int64_t image, Change change) {
  auto lines = lines_of(transaction, image);
  change();
  for (auto& one : lines_of(transaction, image)) lines.push_back(std::move(one));
  mark_newest(transaction, lines);
}

void write_facts(db::Transaction& transaction, const Image& image) {
  const auto& f = image.facts;
  const db::Value space =
      f.space ? db::Value(static_cast<std::int64_t>(*f.space)) : db::Value(nullptr);
  transaction.run(
      "update images set maker = :a, platforms = :b, hardware = :c, role = :d, "
      "version = :e, version_key = :f, line = :g, line_key = :h, stage = :i, "
      "space = :j, remarks = :k, source = :l, guessed = :n where id = :m",
      {f.maker, joined_lines(f.platforms), joined_lines(f.hardware), f.role, f.version,
       text::Version(f.version).sort_key(), f.line, line_key(f), f.stage, space,
       f.remarks, f.source, joined_lines(f.guessed), image.id});
  changing_lines(transaction, image.id, [&] {
    transaction.run("delete from image_platforms where image = :i", {image.id});
    auto platforms = f.platforms;
    if (platforms.empty()) platforms.emplace_back();
    for (const auto& platform : platforms) {
      transaction.run(
          "insert into image_platforms (image, platform, role, line_key, version_key, "
          "withdrawn, maker) values (:i, :p, :r, :l, :v, :w, :m)",
          {image.id, platform, f.role, line_key(f), text::Version(f.version).sort_key(),
           std::int64_t{image.withdrawal.has_value()}, base::folded(f.maker)});
    }
  });
}

std::optional<Image> one_image(db::Transaction& transaction, const std::string& which,
                               const std::vector<db::Value>& values) {
  const auto rows = transaction.query(
      fmt::format("select {} from images i {}", kImageColumns, which), values);
  if (rows.empty()) return std::nullopt;
  return image_of(rows.front());
}

std::vector<std::string> all_names(db::Transaction& transaction) {
  std::vector<std::string> names;
  for (const auto& row :
       transaction.query("select name from image_names order by name")) {
    names.push_back(row.text(0));
  }
  return names;
}

void add_name(db::Transaction& transaction, std::int64_t image, const std::string& name,
              base::WallTime since) {
  transaction.run("insert into image_names (name, image, since) values (:n, :i, :s)",
                  {name, image, since});
}

// Sets facts that were not known.
void complete_facts(Facts& known, const Facts& came) {
  for (const auto& name : fact_names()) {
    const auto text = fact(came, name);
    const bool better = known.is_guessed(name) && !text.empty() && !came.is_guessed(name);
    if (!fact(known, name).empty() && !better) continue;
    (void)set_fact(known, name, text);
    if (came.is_guessed(name)) known.guessed.push_back(name);
  }
}

std::vector<FactChange> differences(const Facts& before, const Facts& after) {
  std::vector<FactChange> changes;
  for (const auto& name : fact_names()) {
    auto was = fact(before, name);
    auto is = fact(after, name);
    if (was != is) changes.push_back({name, std::move(was), std::move(is)});
  }
  return changes;
}

// The old holder of the name becomes "NAME.unconfirmed-" and eight digits of its SHA-256.
void give_up_name(db::Transaction& transaction, const Image& image,
                  const std::string& name) {
  const auto end = ".unconfirmed-" + image.digests.sha256.substr(0, 8);
  const auto other = name.substr(0, base::kLongestName - end.size()) + end;
  transaction.run("update image_names set name = :o where name = :n", {other, name});
  transaction.run("update images set name = :o where id = :i and name = :n",
                  {other, image.id, name});
  transaction.changed(kImageChanged, std::to_string(image.id));
}

}  // namespace

base::Refusal name_taken(const Image& known) {
  return {Kind::kExists, fmt::format("'{}' is known with other bytes (SHA-256 {}...); "
                                     "images never change, so use another name",
                                     known.name, known.digests.sha256.substr(0, 16))};
}

base::Outcome<Added> Catalog::add(db::Transaction& transaction, Image image) {
  using What = Added::What;
  // A fact that the version implies is not stored.
  auto& line = image.facts.line;
  if (line == text::Version(image.facts.version).line()) line.clear();
  auto by_name =
      one_image(transaction, "join image_names n on n.image = i.id where n.name = :n",
                {image.name});
  if (by_name && by_name->digests.sha256 != image.digests.sha256) {
    if (!by_name->in_doubt()) {
      by_name->name = image.name;
      return base::refuse(name_taken(*by_name));
    }
    give_up_name(transaction, *by_name, image.name);
    by_name.reset();
  }
  if (auto known = with_content(transaction, image.digests.sha256)) {
    if (!known->digests.complete()) {
      add_digests(transaction, image.digests);
      known->digests.complete_from(image.digests);
    }
    complete_facts(known->facts, image.facts);
    write_facts(transaction, *known);
    transaction.changed(kImageChanged, std::to_string(known->id));
    if (by_name) return Added{What::kAlreadyThere, std::move(*known)};
    add_name(transaction, known->id, image.name, image.taken_in_at);
    return Added{What::kNewName, std::move(*known)};
  }
  image.id = transaction.next_number("images");
  image.read_at = image.taken_in_at;
  transaction.run(
      "insert into images (id, name, size, md5, sha1, sha256, sha512, taken_in_at, "
      "taken_in_by, read_at) values (:i, :n, :z, :a, :b, :c, :d, :t, :w, :r)",
      {image.id, image.name, static_cast<std::int64_t>(image.size), image.digests.md5,
       image.digests.sha1, image.digests.sha256, image.digests.sha512, image.taken_in_at,
       image.taken_in_by, image.read_at});
  write_facts(transaction, image);
  add_name(transaction, image.id, image.name, image.taken_in_at);
  transaction.changed(kImageChanged, std::to_string(image.id));
  return Added{What::kNew, std::move(image)};
}

void Catalog::add_digests(db::Transaction& transaction, const crypto::Digests& digests) {
  const auto known = with_content(transaction, digests.sha256);
  if (!known || known->digests.complete()) return;
  auto merged = known->digests;
  merged.complete_from(digests);
  transaction.run("update images set md5 = :a, sha1 = :b, sha512 = :c where id = :i",
                  {merged.md5, merged.sha1, merged.sha512, known->id});
  transaction.changed(kImageChanged, std::to_string(known->id));
}

void Catalog::set_inside(db::Transaction& transaction, std::int64_t image,
                         const probe::Report& report) {
  transaction.run(
      "update images set verdict = :v, kind = :k, findings = :f, members_in_all = :m "
      "where id = :i",
      {probe::word(report.verdict), report.kind, joined_lines(report.findings),
       static_cast<std::int64_t>(report.members_in_all), image});
  transaction.run("delete from members where image = :i", {image});
  std::int64_t position = 0;
  for (const auto& member : report.members) {
    if (++position > static_cast<std::int64_t>(kMostMembersKept)) break;
    transaction.run(
        "insert into members (image, position, path, size) values (:i, :n, :p, :s)",
        {image, position, member.path, static_cast<std::int64_t>(member.size)});
  }
}

base::Outcome<std::vector<FactChange>> Catalog::edit(
    db::Transaction& transaction, Image& image,
    const std::map<std::string, std::string>& facts) {
  const auto before = image.facts;
  for (const auto& [name, text] : facts) {
    if (auto set = set_fact(image.facts, name, text); !set) {
      image.facts = before;
      return base::refuse(set.error());
    }
  }
  // That a fact is no longer guessed is a change, too.
  const bool sure = before.guessed != image.facts.guessed;
  auto changes = differences(before, image.facts);
  if (sure || !changes.empty()) {
    write_facts(transaction, image);
    transaction.changed(kImageChanged, std::to_string(image.id));
  }
  return changes;
}

std::vector<FactChange> Catalog::complete(db::Transaction& transaction, Image& image,
                                          const Facts& found) {
  const auto before = image.facts;
  complete_facts(image.facts, found);
  auto changes = differences(before, image.facts);
  if (!changes.empty()) {
    write_facts(transaction, image);
    transaction.changed(kImageChanged, std::to_string(image.id));
  }
  return changes;
}

base::Outcome<void> Catalog::withdraw(db::Transaction& transaction, const Image& image,
                                      const std::string& why, base::WallTime now) {
  if (image.withdrawal) {
    return base::refuse(Kind::kExists, fmt::format("'{}' is withdrawn already: {}",
                                                   image.name, image.withdrawal->why));
  }
  transaction.run("update images set withdrawn_at = :t, withdrawn_why = :w where id = :i",
                  {now, why, image.id});
  changing_lines(transaction, image.id, [&] {
    transaction.run("update image_platforms set withdrawn = 1 where image = :i",
                    {image.id});
  });
  transaction.changed(kImageChanged, std::to_string(image.id));
  return {};
}

base::Outcome<void> Catalog::take_back_withdrawal(db::Transaction& transaction,
                                                  const Image& image) {
  if (!image.withdrawal) {
    return base::refuse(Kind::kInvalid, fmt::format("'{}' is not withdrawn", image.name));
  }
  transaction.run(
      "update images set withdrawn_at = null, withdrawn_why = '' where id = :i",
      {image.id});
  changing_lines(transaction, image.id, [&] {
    transaction.run("update image_platforms set withdrawn = 0 where image = :i",
                    {image.id});
  });
  transaction.changed(kImageChanged, std::to_string(image.id));
  return {};
}

std::vector<std::string> Catalog::remove(db::Transaction& t, const Image& image) {
  std::vector<std::string> contents{image.digests.sha256};
  for (const auto& row :
       t.query("select sha256 from documents where image = :i", {image.id})) {
    contents.push_back(row.text(0));
  }
  for (const auto& name : Offers::names_of(t, image.id)) t.changed(kOfferChanged, name);
  changing_lines(t, image.id, [&] {
    t.run("delete from image_platforms where image = :i", {image.id});
  });
  for (const auto* table : {"members", "vouches", "documents", "offers", "image_names"}) {
    t.run(fmt::format("delete from {} where image = :i", table), {image.id});
  }
  t.run("delete from images where id = :i", {image.id});
  t.changed(kImageChanged, std::to_string(image.id));
  return contents;
}

void Catalog::mark_read(db::Transaction& transaction, const std::string& sha256,
                        bool whole, base::WallTime now) {
  // Only a changed result is news, not the reading itself.
  for (const auto& row :
       transaction.query("select id from images where sha256 = :s and whole <> :w",
                         {sha256, std::int64_t{whole}})) {
    transaction.changed(kImageChanged, row.text(0));
  }
  transaction.run("update images set whole = :w, read_at = :t where sha256 = :s",
                  {std::int64_t{whole}, now, sha256});
}

std::optional<Image> Catalog::named(db::Transaction& transaction,
                                    const std::string& name) {
  return one_image(transaction, "join image_names n on n.image = i.id where n.name = :n",
                   {name});
}

base::Outcome<std::optional<Image>> Catalog::named(const std::string& name) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::optional<Image>> {
    return named(t, name);
  });
}

base::Outcome<Image> Catalog::find(db::Transaction& transaction,
                                   const std::string& name) {
  auto image = named(transaction, name);
  if (image) return std::move(*image);
  // The beginning of a checksum names an image as well, if it is unique.
  constexpr std::size_t kShortest = 8, kWhole = 64;
  const auto digits = base::folded(name);
  if (digits.size() >= kShortest && digits.size() <= kWhole &&
      digits.find_first_not_of("0123456789abcdef") == std::string::npos) {
    // 'g' sorts after every digit.
    const auto found = transaction.query(
        "select sha256 from images where sha256 >= :a and sha256 < :b order by sha256 "
        "limit 2",
        {digits, digits + "g"});
    if (found.size() == 1) return *with_content(transaction, found.front().text(0));
    if (found.size() > 1) {
      return base::refuse(
          Kind::kNotFound,
          fmt::format(
              "several images have a SHA-256 that begins with '{}'; type more digits",
              base::printable(name)));
    }
  }
  return base::refuse(Kind::kNotFound,
                      fmt::format("unknown image '{}'", base::printable(name)),
                      text::nearest(name, all_names(transaction)).value_or(""));
}

base::Outcome<Image> Catalog::find(const std::string& name) const {
  return database_.read([&](db::Transaction& t) { return find(t, name); });
}

std::optional<Image> Catalog::with_content(db::Transaction& transaction,
                                           const std::string& sha256) {
  return one_image(transaction, "where i.sha256 = :s", {sha256});
}

base::Outcome<std::optional<Image>> Catalog::with_content(
    const std::string& sha256) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::optional<Image>> {
    return with_content(t, sha256);
  });
}

base::Outcome<std::vector<Image>> Catalog::with_size(std::uint64_t size) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<Image>> {
    std::vector<Image> images;
    for (const auto& row : t.query("select " + kImageColumns +
                                       " from images i where i.size = :s order by i.name",
                                   {static_cast<std::int64_t>(size)})) {
      images.push_back(image_of(row));
    }
    return images;
  });
}

base::Outcome<std::optional<Image>> Catalog::with_checksum(
    const crypto::Expected& sum) const {
  const auto column = [&]() -> std::string {
    switch (sum.algorithm) {
      case crypto::Algorithm::kMd5:
        return "md5";
      case crypto::Algorithm::kSha1:
        return "sha1";
      case crypto::Algorithm::kSha256:
        return "sha256";
      case crypto::Algorithm::kSha512:
        return "sha512";
    }
    return "sha256";
  };
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::optional<Image>> {
    auto found = one_image(t, "where i." + column() + " = :s", {sum.hex});
    if (found) return found;
    if (const auto lacking = one_image(
            t,
            "where (i.md5 = '' or i.sha1 = '' or i.sha512 = '') and i.whole = 1 and i." +
                column() + " = '' limit 1",
            {})) {
      return base::refuse(digest_follows(lacking->name, sum.algorithm));
    }
    return found;
  });
}

base::Outcome<std::vector<Image>> Catalog::beginning_with(const std::string& sha256,
                                                          std::size_t most) const {
  using All = std::vector<Image>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<All> {
    All all;
    for (const auto& row :
         t.query("select " + kImageColumns +
                     " from images i where i.sha256 >= :a and i.sha256 < :b order by "
                     "i.sha256 limit :m",
                 {sha256, sha256 + "g", static_cast<std::int64_t>(most)})) {
      all.push_back(image_of(row));
    }
    return all;
  });
}

base::Outcome<std::vector<std::string>> Catalog::names_of(std::int64_t image) const {
  return database_.read(
      [&](db::Transaction& t) -> base::Outcome<std::vector<std::string>> {
        std::vector<std::string> names;
        for (const auto& row :
             t.query("select n.name from image_names n join images i on i.id = n.image "
                     "where i.id = :i order by n.name <> i.name, n.since, n.name",
                     {image})) {
          names.push_back(row.text(0));
        }
        return names;
      });
}

base::Outcome<std::vector<probe::Member>> Catalog::members_of(std::int64_t image) const {
  using Members = std::vector<probe::Member>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Members> {
    Members members;
    for (const auto& row :
         t.query("select path, size from members where image = :i order by position",
                 {image})) {
      members.push_back({row.text(0), static_cast<std::uint64_t>(row.integer(1))});
    }
    return members;
  });
}

base::Outcome<std::vector<LookAlike>> Catalog::look_alikes(const Image& image) const {
  const text::Version version(image.facts.version);
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<LookAlike>> {
    std::vector<LookAlike> result;
    if (version.fields().empty()) return result;
    const auto rows = t.query(
        "select distinct i.name, i.version from images i "
        "join image_platforms p on p.image = i.id "
        "join image_platforms q on q.platform = p.platform and q.image = :a "
        "where i.id <> :b and i.role = :c and i.version <> '' order by i.name",
        {image.id, image.id, image.facts.role});
    for (const auto& row : rows) {
      if (text::easily_confused(version, text::Version(row.text(1)))) {
        result.push_back({row.text(0), row.text(1)});
      }
    }
    return result;
  });
}

base::Outcome<std::size_t> Catalog::count() const {
  return database_.read([](db::Transaction& t) -> base::Outcome<std::size_t> {
    return static_cast<std::size_t>(
        t.query("select count(*) from images").front().integer(0));
  });
}

base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>> Catalog::contents(
    const std::string& begins) const {
  using Contents = std::vector<std::pair<std::string, std::uint64_t>>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Contents> {
    Contents contents;
    for (const auto& row :
         // 'g' sorts after every hexadecimal digit.
         t.query("select sha256, size from images where sha256 >= :a and sha256 < :b "
                 "union select sha256, size from documents where sha256 >= :c and "
                 "sha256 < :d",
                 {begins, begins + "g", begins, begins + "g"})) {
      contents.emplace_back(row.text(0), static_cast<std::uint64_t>(row.integer(1)));
    }
    return contents;
  });
}

}  // namespace vantro::catalog
