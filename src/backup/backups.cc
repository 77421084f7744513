#include "backup/backups.h"

#include <algorithm>
#include <fmt/format.h>

#include "backup/backup_offers.h"
#include "base/visible_name.h"

namespace vantro::backup {

const char* word(Ending ending) {
  switch (ending) {
    case Ending::kConfirmed:
      return "";
    case Ending::kUnknownSize:
      return "unknown-size";
    case Ending::kCut:
      return "cut";
    case Ending::kUnconfirmed:
      return "unconfirmed";
  }
  return "";
}

namespace {

using base::Kind;
using db::Value;

const std::string kSelect =
    "select r.id, r.file, f.device, coalesce(d.name, f.address), f.name, r.number, "
    "r.address, r.complete, r.size, r.announced, r.md5, r.sha1, r.sha256, r.sha512, "
    "r.partial_file, r.arrived_at, r.protocol, r.account, r.why, r.whole, r.read_at, "
    "r.kind, r.is_text, r.changed, r.substance, r.last_seen_at, r.times_seen, "
    "r.pinned_at, r.pinned_why, r.partial_sha256, r.ending, r.verdict, r.finding from "
    "revisions r join "
    "backup_files f on f.id = r.file "
    "left join devices d on d.id = f.device ";

const std::string kOfHolder = "f.device = :d and f.address = :a ";
// Revisions whose bytes are in the vault.
const std::string kKept =
    "from revisions r join backup_files f on f.id = r.file "
    "where (r.complete = 1 or r.partial_file is not null) ";

// How many of the newest sizes give the usual one.
constexpr std::int64_t kUsualOf = 9;

std::uint64_t unsigned_of(const db::Row& row, std::size_t column) {
  return static_cast<std::uint64_t>(row.integer(column));
}

Ending ending_of(const std::string& text) {
  for (const auto one : {Ending::kUnknownSize, Ending::kCut, Ending::kUnconfirmed}) {
    if (text == word(one)) return one;
  }
  return Ending::kConfirmed;
}

// Revision::good()
const std::string kGood = "complete = 1 and ending <> 'unconfirmed'";

Revision revision_of(const db::Row& row) {
  Revision one;
  one.id = row.integer(0);
  one.file = row.integer(1);
  one.holder = {row.integer(2), row.text(3)};
  one.name = row.text(4);
  one.number = row.integer(5);
  one.address = row.text(6);
  one.complete = row.integer(7) != 0;
  one.size = unsigned_of(row, 8);
  if (!row.is_null(9)) one.announced = unsigned_of(row, 9);
  one.digests = {row.text(10), row.text(11), row.text(12), row.text(13)};
  one.partial_file = row.text(14);
  one.arrived_at = row.integer(15);
  one.protocol = row.text(16);
  one.account = row.text(17);
  one.why = row.text(18);
  one.whole = row.integer(19) != 0;
  one.read_at = row.integer(20);
  one.kind = parse_kind(row.text(21)).value_or(FileKind::kOther);
  one.text = row.integer(22) != 0;
  one.changed = row.integer(23) != 0;
  one.substance = row.text(24);
  one.last_seen_at = row.integer(25);
  one.times_seen = row.integer(26);
  if (!row.is_null(27)) one.pinned_at = row.integer(27);
  one.pinned_why = row.text(28);
  one.partial_sha256 = row.text(29);
  one.ending = ending_of(row.text(30));
  one.verdict = row.text(31);
  one.finding = row.text(32);
  return one;
}

std::vector<Revision> revisions_of(const db::Rows& rows) {
  std::vector<Revision> found;
  found.reserve(rows.size());
  for (const auto& row : rows) found.push_back(revision_of(row));
  return found;
}

std::optional<Revision> first_of(const db::Rows& rows) {
  if (rows.empty()) return std::nullopt;
  return revision_of(rows.front());
}

Value text_or_null(const std::string& text) {
  if (text.empty()) return nullptr;
  return text;
}

template <class T>
Value number_or_null(const std::optional<T>& number) {
  if (!number) return nullptr;
  return static_cast<std::int64_t>(*number);
}

// How a holder is written in backup_files.
Value device_of(const Holder& holder) { return holder.device; }
Value address_of(const Holder& holder) {
  return holder.device == 0 ? holder.name : std::string();
}

struct File {
  std::int64_t id = 0;
  std::int64_t last_number = 0;
};

std::optional<File> find_file(db::Transaction& t, const Holder& holder,
                              const std::string& name) {
  const auto rows = t.query("select f.id, f.last_number from backup_files f where " +
                                kOfHolder + "and f.name = :n",
                            {device_of(holder), address_of(holder), name});
  if (rows.empty()) return std::nullopt;
  return File{rows.front().integer(0), rows.front().integer(1)};
}

File file_for(db::Transaction& t, const Holder& holder, const std::string& name) {
  if (auto found = find_file(t, holder, name)) return *found;
  const File made{t.next_number("backup_files"), 0};
  t.run(
      "insert into backup_files values (:i, :d, :a, :n, 0, 0, null, 0, 0, 0, 0, '', "
      "null, 0)",
      {made.id, device_of(holder), address_of(holder), name});
  return made;
}

// A file's row about its newest revision, and the usual size.
std::vector<Value> of_the_newest(db::Transaction& t, std::int64_t file) {
  const auto newest = t.query(
      "select id, number, arrived_at, last_seen_at, size, kind from revisions where "
      "file = :f and " +
          kGood + " order by number desc limit :l",
      {file, kUsualOf + 1});
  std::vector<std::int64_t> sizes;
  for (std::size_t i = 1; i < newest.size(); ++i) sizes.push_back(newest[i].integer(4));
  Value usual = nullptr;
  if (!sizes.empty()) {
    const auto middle = sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2);
    std::nth_element(sizes.begin(), middle, sizes.end());
    usual = *middle;
  }
  std::vector<Value> values;
  if (newest.empty()) {
    values = {nullptr,         std::int64_t{0}, std::int64_t{0},
              std::int64_t{0}, std::int64_t{0}, std::string()};
  } else {
    const auto& row = newest.front();
    for (const std::size_t i : {0, 1, 2, 3, 4}) values.emplace_back(row.integer(i));
    values.emplace_back(row.text(5));
  }
  values.push_back(usual);
  return values;
}

const std::string kSetNewest =
    "newest = :n, newest_number = :o, newest_at = :p, seen_at = :q, size = :s, kind = "
    ":k, usual_size = :u";

// The part of the file's row that is copied from all of its revisions.
void refresh(db::Transaction& t, std::int64_t file) {
  auto values = of_the_newest(t, file);
  const auto counts =
      t.query("select count(*), coalesce(max(number), 0), coalesce(max(case when " +
                  kGood +
                  " then 0 else arrived_at end), 0) from revisions where file = :f",
              {file})
          .front();
  for (const std::size_t i : {0, 1, 1, 2}) values.emplace_back(counts.integer(i));
  values.emplace_back(file);
  // A number is never given twice, even after the last one was removed.
  t.run("update backup_files set " + kSetNewest +
            ", revisions = :c, last_number = case when last_number < :l then :m else "
            "last_number end, broken_at = :b where id = :i",
        values);
}

// The same after one more revision, without counting the others: there may be very many,
// and nobody else writes meanwhile.
void refresh_with(db::Transaction& t, const Revision& added) {
  auto values = of_the_newest(t, added.file);
  const std::int64_t broken_at = added.good() ? 0 : added.arrived_at;
  for (const auto value : {added.number, broken_at, broken_at}) {
    values.emplace_back(value);
  }
  values.emplace_back(added.file);
  t.run("update backup_files set " + kSetNewest +
            ", revisions = revisions + 1, last_number = :l, broken_at = case when "
            "broken_at < :b then :c else broken_at end where id = :i",
        values);
}

// The revisions of two files in one row, by the time of their arrival.
void merge(db::Transaction& t, std::int64_t from, std::int64_t into) {
  const auto rows =
      t.query("select id from revisions where file in (:f, :i) order by arrived_at, id",
              {from, into});
  // To free numbers first, as each exists only once.
  t.run("update revisions set number = -id, file = :i where file in (:f, :j)",
        {into, from, into});
  std::int64_t number = 0;
  for (const auto& row : rows) {
    t.run("update revisions set number = :n where id = :i", {++number, row.integer(0)});
  }
  t.run("delete from backup_files where id = :f", {from});
  t.run("update backup_files set last_number = :l where id = :i", {number, into});
  refresh(t, into);
}

db::Rows files_of(db::Transaction& t, const Holder& holder) {
  return t.query("select f.id, f.name, f.revisions from backup_files f where " +
                     kOfHolder + "order by f.name",
                 {device_of(holder), address_of(holder)});
}

// `file` is a row of files_of().
Moved give_file(db::Transaction& t, const db::Row& file, const Holder& to) {
  Moved moved{file.text(1), file.integer(2), false};
  if (const auto there = find_file(t, to, moved.name)) {
    moved.merged = true;
    merge(t, file.integer(0), there->id);
  } else {
    t.run("update backup_files set device = :d, address = :a where id = :i",
          {device_of(to), address_of(to), file.integer(0)});
  }
  return moved;
}

// The same bytes arrived again. If the end of the first was in doubt, this settles it.
Added see_again(db::Transaction& t, Revision known, const Revision& now) {
  const bool was_in_doubt = !known.good();
  known.last_seen_at = now.arrived_at;
  ++known.times_seen;
  if (was_in_doubt) {
    known.ending = now.ending;
    known.why.clear();
  }
  t.run(
      "update revisions set last_seen_at = :t, times_seen = :n, ending = :e, why = :w "
      "where id = :i",
      {known.last_seen_at, known.times_seen, std::string(word(known.ending)), known.why,
       known.id});
  if (was_in_doubt) {
    refresh(t, known.file);
  } else {
    t.run("update backup_files set seen_at = :t where id = :i",
          {known.last_seen_at, known.file});
  }
  return {std::move(known), true, was_in_doubt};
}

}  // namespace

void Backups::set_inside(db::Transaction& t, std::int64_t id, const std::string& verdict,
                         const std::string& finding) {
  t.run("update revisions set verdict = :v, finding = :f, to_look = 0 where id = :i",
        {verdict, finding, id});
}

base::Outcome<std::vector<Revision>> Backups::to_look_into(std::size_t most) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<Revision>> {
    return revisions_of(t.query(kSelect + "where r.to_look = 1 order by r.id limit :m",
                                {static_cast<std::int64_t>(most)}));
  });
}

std::optional<Revision> Backups::with_content(db::Transaction& t,
                                              const std::string& sha256) {
  return first_of(
      t.query(kSelect + "where r.sha256 = :s and r.complete = 1 order by r.id limit 1",
              {sha256}));
}

Added Backups::add(db::Transaction& t, Revision revision) {
  const auto file = file_for(t, revision.holder, revision.name);
  revision.file = file.id;
  const auto newest = [&](const std::string& which) {
    return first_of(t.query(
        kSelect + "where r.file = :f and r." + which + " order by r.number desc limit 1",
        {file.id}));
  };
  const auto last = newest("complete = 1");
  const auto good = !last || last->good() ? last : newest(kGood);
  for (const auto& known : {last, good}) {
    // Sent with another account, they are another revision: the rights to read it back
    // differ.
    if (!revision.complete || !known ||
        known->digests.sha256 != revision.digests.sha256 ||
        known->account != revision.account) {
      continue;
    }
    return see_again(t, *known, revision);
  }
  revision.id = t.next_number("revisions");
  revision.number = file.last_number + 1;
  revision.last_seen_at = revision.arrived_at;
  revision.times_seen = 1;
  const auto& own =
      revision.substance.empty() ? revision.digests.sha256 : revision.substance;
  revision.changed =
      revision.complete && good &&
      own != (good->substance.empty() ? good->digests.sha256 : good->substance);
  const auto flag = [](bool on) { return std::int64_t{on ? 1 : 0}; };
  t.run(
      "insert into revisions (id, file, number, address, complete, size, announced, md5, "
      "sha1, sha256, sha512, partial_file, arrived_at, protocol, account, why, whole, "
      "read_at, kind, is_text, changed, substance, last_seen_at, partial_sha256, "
      "ending, times_seen, pinned_why, to_look) "
      "values (:a, :b, :c, :d, :e, :f, :g, :h, :i, :j, :k, :l, :m, :n, :o, :p, 1, :q, "
      ":r, :s, :t, :u, :v, :w, :x, 1, '', :y)",
      {revision.id,
       revision.file,
       revision.number,
       revision.address,
       flag(revision.complete),
       static_cast<std::int64_t>(revision.size),
       number_or_null(revision.announced),
       text_or_null(revision.digests.md5),
       text_or_null(revision.digests.sha1),
       text_or_null(revision.digests.sha256),
       text_or_null(revision.digests.sha512),
       text_or_null(revision.partial_file),
       revision.arrived_at,
       revision.protocol,
       revision.account,
       revision.why,
       revision.arrived_at,
       std::string(word(revision.kind)),
       flag(revision.text),
       flag(revision.changed),
       revision.substance,
       revision.last_seen_at,
       text_or_null(revision.partial_sha256),
       std::string(word(revision.ending)),
       flag(revision.complete && !revision.text &&
            revision.kind != FileKind::kConfiguration)});
  refresh_with(t, revision);
  const bool good_now = revision.good();
  return {std::move(revision), false, good_now};
}

void Backups::judge_again(db::Transaction& t, std::int64_t id,
                          const std::string& substance) {
  t.run("update revisions set substance = :s where id = :i", {substance, id});
}

void Backups::mark_read(db::Transaction& transaction, const std::string& sha256,
                        bool whole, base::WallTime now) {
  for (const auto& row : transaction.query(
           "select o.id from backup_offers o join revisions r on r.id = o.revision where "
           "o.ended_at is null and r.sha256 = :s and r.whole <> :w",
           {sha256, std::int64_t{whole}})) {
    transaction.changed(kBackupOfferChanged, row.text(0));
  }
  // Not the one that was recorded this moment.
  transaction.run(
      "update revisions set whole = :w, read_at = :t where sha256 = :s and "
      "(whole <> :v or read_at <> :u)",
      {std::int64_t{whole}, now, sha256, std::int64_t{whole}, now});
}

void Backups::add_digests(db::Transaction& t, const crypto::Digests& digests) {
  for (const auto& row : t.query(
           "select o.id from backup_offers o join revisions r on r.id = o.revision where "
           "o.ended_at is null and r.sha256 = :s",
           {digests.sha256})) {
    t.changed(kBackupOfferChanged, row.text(0));
  }
  t.run(
      "update revisions set md5 = coalesce(md5, :a), sha1 = coalesce(sha1, :b), sha512 = "
      "coalesce(sha512, :c) where sha256 = :s and complete = 1",
      {text_or_null(digests.md5), text_or_null(digests.sha1),
       text_or_null(digests.sha512), digests.sha256});
}

std::vector<Moved> Backups::give_to(db::Transaction& t, const Holder& from,
                                    const Holder& to) {
  std::vector<Moved> moved;
  for (const auto& row : files_of(t, from)) {
    moved.push_back(give_file(t, row, to));
  }
  return moved;
}

std::vector<Moved> Backups::give_back(db::Transaction& t, const Holder& device) {
  std::vector<Moved> moved;
  for (const auto& row : files_of(t, device)) {
    const auto last = t.query(
        "select address from revisions where file = :f order by number desc "
        "limit 1",
        {row.integer(0)});
    moved.push_back(give_file(t, row, {0, last.front().text(0)}));
  }
  return moved;
}

void Backups::remove(db::Transaction& t, const Revision& revision) {
  for (const auto& row :
       t.query("select id from backup_offers where revision = :i", {revision.id})) {
    t.changed(kBackupOfferChanged, row.text(0));
  }
  t.run("delete from backup_offers where revision = :i", {revision.id});
  t.run("delete from revisions where id = :i", {revision.id});
  if (t.query("select id from revisions where file = :f limit 1", {revision.file})
          .empty()) {
    t.run("delete from backup_files where id = :f", {revision.file});
    return;
  }
  refresh(t, revision.file);
}

bool Backups::is_held(db::Transaction& t, std::int64_t id, base::WallTime now) {
  return !t.query(
               "select 1 from revisions where id = :i and pinned_at is not null union "
               "all "
               "select 1 from backup_offers where revision = :r and ended_at is null and "
               "until > :n",
               {id, id, now})
              .empty();
}

void Backups::set_kind(db::Transaction& t, const std::string& sha256, FileKind kind) {
  t.run("update revisions set kind = :k where sha256 = :s",
        {std::string(word(kind)), sha256});
  t.run(
      "update backup_files set kind = :k where newest in (select id from revisions "
      "where sha256 = :s)",
      {std::string(word(kind)), sha256});
}

void Backups::set_unconfirmed(db::Transaction& t, const Revision& revision) {
  t.run("update revisions set ending = :e, why = :w where id = :i",
        {std::string(word(Ending::kUnconfirmed)), std::string(kEndNotConfirmed),
         revision.id});
  refresh(t, revision.file);
}

void Backups::pin(db::Transaction& t, std::int64_t id, std::optional<base::WallTime> at,
                  const std::string& why) {
  t.run("update revisions set pinned_at = :t, pinned_why = :w where id = :i",
        {number_or_null(at), why, id});
}

base::Outcome<std::vector<Revision>> Backups::revisions(
    const std::optional<Holder>& holder, const std::optional<std::string>& name) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<Revision>> {
    const std::string order = "order by coalesce(d.name, f.address), f.name, r.number";
    if (!holder) return revisions_of(t.query(kSelect + order));
    if (!name) {
      return revisions_of(t.query(kSelect + "where " + kOfHolder + order,
                                  {device_of(*holder), address_of(*holder)}));
    }
    return revisions_of(
        t.query(kSelect + "where " + kOfHolder + "and f.name = :n " + order,
                {device_of(*holder), address_of(*holder), *name}));
  });
}

base::Outcome<std::vector<Revision>> Backups::portion(
    const std::optional<Holder>& holder, const std::optional<std::string>& name,
    const std::optional<Place>& behind, std::size_t most) const {
  using Revisions = std::vector<Revision>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Revisions> {
    std::string where = "where 1 = 1 ";
    std::vector<Value> values;
    if (holder) {
      where += "and " + kOfHolder;
      values = {device_of(*holder), address_of(*holder)};
    }
    if (name) {
      where += "and f.name = :n ";
      values.emplace_back(*name);
    }
    // There are few files beside their revisions.
    bool here = !behind;
    Revisions found;
    std::vector<std::int64_t> files;
    t.each("select f.id from backup_files f left join devices d on d.id = f.device " +
               where + "order by coalesce(d.name, f.address), f.name",
           values, [&](const db::Row& row) { files.push_back(row.integer(0)); });
    for (const auto file : files) {
      const bool last_one = behind && file == behind->file;
      here = here || last_one;
      if (!here) continue;
      t.each(kSelect + "where r.file = :f and r.number > :n order by r.number limit :m",
             {file, last_one ? behind->number : std::int64_t{0},
              static_cast<std::int64_t>(most - found.size())},
             [&](const db::Row& row) { found.push_back(revision_of(row)); });
      if (found.size() >= most) break;
    }
    if (!here) {
      return base::refuse(Kind::kInvalid,
                          "the revision listed last was removed; list them again");
    }
    return found;
  });
}

base::Outcome<std::vector<Revision>> Backups::of_files_behind(std::int64_t file,
                                                              std::size_t most) const {
  using Revisions = std::vector<Revision>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Revisions> {
    Revisions found;
    while (found.size() < most) {
      const auto next = t.query(
          "select id from backup_files where id > :f order by id limit 1", {file});
      if (next.empty()) break;
      file = next.front().integer(0);
      t.each(kSelect + "where r.file = :f order by r.number", {file},
             [&](const db::Row& row) { found.push_back(revision_of(row)); });
    }
    return found;
  });
}

base::Outcome<Revision> Backups::find(const Holder& holder, const std::string& name,
                                      std::optional<std::int64_t> number) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<Revision> {
    const auto file = find_file(t, holder, name);
    const auto shown_name = base::printable(name, 80);
    const auto shown_holder = base::printable(holder.name, 80);
    if (!file) {
      const auto others = t.query("select f.name from backup_files f where " + kOfHolder +
                                      "order by f.newest_at desc, f.id desc limit 1",
                                  {device_of(holder), address_of(holder)});
      if (others.empty()) {
        return base::refuse(Kind::kNotFound,
                            fmt::format("nothing was ever received from '{}'; 'vantro "
                                        "backup list' shows all files",
                                        shown_holder));
      }
      return base::refuse(
          Kind::kNotFound,
          fmt::format("there is no backup '{}' from {}", shown_name, shown_holder),
          others.front().text(0));
    }
    const auto found =
        number ? first_of(t.query(kSelect + "where r.file = :f and r.number = :n",
                                  {file->id, *number}))
               : first_of(t.query(kSelect + "where r.file = :f order by r.complete desc, "
                                            "r.ending = 'unconfirmed', r.number desc "
                                            "limit 1",
                                  {file->id}));
    if (found) return *found;
    std::string numbers;
    for (const auto& row :
         t.query("select number from revisions where file = :f order by number desc "
                 "limit 4",
                 {file->id})) {
      numbers += (numbers.empty() ? "" : ", ") + row.text(0);
    }
    return base::refuse(
        Kind::kNotFound,
        fmt::format("'{}' from {} has no revision {}; the newest are {}", shown_name,
                    shown_holder, number.value_or(0), numbers));
  });
}

base::Outcome<std::optional<Revision>> Backups::find(std::int64_t id) const {
  using Found = std::optional<Revision>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Found> {
    return first_of(t.query(kSelect + "where r.id = :i", {id}));
  });
}

base::Outcome<std::optional<Revision>> Backups::newest(const Holder& holder,
                                                       const std::string& name) const {
  using Found = std::optional<Revision>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Found> {
    return first_of(t.query(
        kSelect + "where " + kOfHolder + "and f.name = :n order by r.number desc limit 1",
        {device_of(holder), address_of(holder), name}));
  });
}

base::Outcome<std::optional<Revision>> Backups::newest_complete(
    const Holder& holder, const std::string& name) const {
  using Found = std::optional<Revision>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Found> {
    return newest_complete(t, holder, name);
  });
}

std::optional<Revision> Backups::newest_complete(db::Transaction& t, const Holder& holder,
                                                 const std::string& name) {
  return first_of(t.query(kSelect + "where " + kOfHolder + "and f.name = :n and " +
                              kGood + " order by r.number desc limit 1",
                          {device_of(holder), address_of(holder), name}));
}

base::Outcome<std::vector<Arrived>> Backups::arrived(base::WallTime from,
                                                     base::WallTime to) const {
  using All = std::vector<Arrived>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<All> {
    All all;
    for (const auto& row :
         t.query("select file, count(*) from revisions where arrived_at >= :f and "
                 "arrived_at < :t group by file",
                 {from, to})) {
      Arrived one;
      one.file = row.integer(0);
      one.revisions = row.integer(1);
      const std::string within =
          "where r.file = :i and r.arrived_at >= :f and r.arrived_at < :t ";
      const std::vector<Value> values{one.file, from, to};
      one.first = first_of(t.query(
          kSelect + within + "and r." + kGood + " order by r.number limit 1", values));
      auto last =
          first_of(t.query(kSelect + within + (one.first ? "and r." + kGood + " " : "") +
                               "order by r.number desc limit 1",
                           values));
      if (!last) continue;
      one.last = std::move(*last);
      all.push_back(std::move(one));
    }
    return all;
  });
}

base::Outcome<std::optional<Revision>> Backups::complete_before(
    std::int64_t file, base::WallTime before) const {
  using Found = std::optional<Revision>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Found> {
    return first_of(t.query(kSelect + "where r.file = :f and r." + kGood +
                                " and r.arrived_at < :t order by r.number desc limit 1",
                            {file, before}));
  });
}

base::Outcome<bool> Backups::has_any(const Holder& holder) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<bool> {
    return !t.query("select f.id from backup_files f where " + kOfHolder + "limit 1",
                    {device_of(holder), address_of(holder)})
                .empty();
  });
}

base::Outcome<std::uint64_t> Backups::bytes_since(const std::string& address,
                                                  base::WallTime since) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::uint64_t> {
    return unsigned_of(
        t.query("select coalesce(sum(size), 0) from revisions where address = :a and "
                "arrived_at >= :t",
                {address, since})
            .front(),
        0);
  });
}

base::Outcome<std::uint64_t> Backups::bytes_of(const Holder& holder) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::uint64_t> {
    return unsigned_of(
        t.query("select coalesce(sum(r.size), 0) " + kKept + "and " + kOfHolder,
                {device_of(holder), address_of(holder)})
            .front(),
        0);
  });
}

base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>>
Backups::bytes_of_addresses() const {
  using Kept = std::vector<std::pair<std::string, std::uint64_t>>;
  return database_.read([](db::Transaction& t) -> base::Outcome<Kept> {
    Kept kept;
    t.each("select f.address, sum(r.size) " + kKept +
               "and f.device = 0 and f.address like '%:%' group by f.address",
           {}, [&](const db::Row& row) {
             kept.emplace_back(row.text(0), unsigned_of(row, 1));
           });
    return kept;
  });
}

base::Outcome<std::size_t> Backups::count() const {
  return database_.read([](db::Transaction& t) -> base::Outcome<std::size_t> {
    return static_cast<std::size_t>(
        t.query("select count(*) from revisions").front().integer(0));
  });
}

base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>> Backups::contents(
    const std::string& begins) const {
  using Contents = std::vector<std::pair<std::string, std::uint64_t>>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Contents> {
    Contents contents;
    // 'g' sorts after every hexadecimal digit.
    t.each(
        "select distinct sha256, size from revisions where sha256 >= :b and sha256 < :e "
        "and complete = 1",
        {begins, begins + "g"}, [&](const db::Row& row) {
          contents.emplace_back(row.text(0), unsigned_of(row, 1));
        });
    return contents;
  });
}

base::Outcome<std::vector<std::string>> Backups::partial_files() const {
  using Names = std::vector<std::string>;
  return database_.read([](db::Transaction& t) -> base::Outcome<Names> {
    Names names;
    for (const auto& row :
         t.query("select partial_file from revisions where partial_file is not null")) {
      names.push_back(row.text(0));
    }
    return names;
  });
}

base::Outcome<void> Backups::forget_partial_file(const std::string& file_name) {
  return database_.write([&](db::Transaction& t) -> base::Outcome<void> {
    t.run("update revisions set partial_file = null where partial_file = :f",
          {file_name});
    return {};
  });
}

base::Outcome<void> Backups::distrust_partial_file(const std::string& file_name) {
  return database_.write([&](db::Transaction& t) -> base::Outcome<void> {
    t.run("update revisions set partial_sha256 = null where partial_file = :f",
          {file_name});
    return {};
  });
}

base::Outcome<std::vector<FileOverview>> Backups::overview(
    const std::optional<Holder>& holder) const {
  using Files = std::vector<FileOverview>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Files> {
    const std::string select =
        "select f.id, f.device, coalesce(d.name, f.address), d.site, d.platform, "
        "d.backup_every, d.made_at, f.name, f.revisions, f.newest_number, f.newest_at, "
        "f.seen_at, f.size, f.kind, f.usual_size, f.broken_at, r.sha256, r.finding from "
        "backup_files f left join devices d on d.id = f.device left join revisions r on "
        "r.id = f.newest ";
    const auto rows =
        holder ? t.query(select + "where " + kOfHolder + "order by f.name",
                         {device_of(*holder), address_of(*holder)})
               : t.query(select + "order by coalesce(d.name, f.address), f.name");
    Files files;
    files.reserve(rows.size());
    for (const auto& row : rows) {
      FileOverview one;
      one.file = row.integer(0);
      one.holder = {row.integer(1), row.text(2)};
      one.site = row.text(3);
      one.platform = row.text(4);
      if (!row.is_null(5)) one.backup_every = row.integer(5);
      one.device_since = row.integer(6);
      one.name = row.text(7);
      one.revisions = row.integer(8);
      one.number = row.integer(9);
      one.arrived_at = row.integer(10);
      one.seen_at = row.integer(11);
      one.size = unsigned_of(row, 12);
      one.kind = parse_kind(row.text(13)).value_or(FileKind::kOther);
      if (!row.is_null(14)) one.usual_size = unsigned_of(row, 14);
      one.broken_at = row.integer(15);
      one.sha256 = row.text(16);
      one.finding = row.text(17);
      files.push_back(std::move(one));
    }
    return files;
  });
}

base::Outcome<std::vector<std::pair<std::int64_t, std::int64_t>>> Backups::changes_since(
    base::WallTime since) const {
  using Changes = std::vector<std::pair<std::int64_t, std::int64_t>>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Changes> {
    Changes changes;
    for (const auto& row :
         t.query("select file, count(*) from revisions where changed = 1 and arrived_at "
                 ">= :t group by file",
                 {since})) {
      changes.emplace_back(row.integer(0), row.integer(1));
    }
    return changes;
  });
}

}  // namespace vantro::backup
