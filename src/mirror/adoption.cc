#include "mirror/adoption.h"

#include <algorithm>
#include <cstdlib>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "catalog/image.h"
#include "mirror/tables.h"

namespace vantro::mirror {
namespace {

using base::Kind;

// Their rows stay for a while when headquarters no longer names the image: it may be
// named again, and its bytes took long to get here.
constexpr const char* kImageTables =
    "('images', 'image_names', 'image_platforms', 'vouches')";
constexpr const char* kImages = "images";

std::string stored(const Columns& columns) {
  std::vector<std::string> texts;
  for (const auto& [name, value] : columns) {
    texts.push_back(name);
    texts.push_back(value);
  }
  return joined(texts);
}

base::Outcome<Record> record_in(const std::string& columns, const std::string& needs) {
  const auto texts = parted(columns);
  if (!texts) return base::refuse(texts.error());
  Record record;
  for (std::size_t i = 0; i + 1 < texts->size(); i += 2) {
    record.columns.emplace((*texts)[i], (*texts)[i + 1]);
  }
  auto contents = parted(needs);
  if (!contents) return base::refuse(contents.error());
  record.needs = std::move(*contents);
  return record;
}

std::string text_in(const Record& record, const char* name) {
  const auto found = record.columns.find(name);
  return found == record.columns.end() ? std::string() : found->second;
}

// The place of a table in the order of writing.
std::size_t order_of(const std::string& table) {
  const auto all = tables();
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (table == all[i].name) return i;
  }
  return all.size();
}

// Those here and whole.
std::set<std::string> held_contents(db::Transaction& transaction) {
  std::set<std::string> held;
  for (const auto& row : transaction.query("select sha256 from mirror_contents")) {
    held.insert(row.text(0));
  }
  return held;
}

}  // namespace

base::Outcome<void> Adoption::open(const std::string& headquarters) {
  Standing standing;
  standing.of = headquarters;
  Outline outline;
  auto read = repository_.database->read([&](db::Transaction& t) -> base::Outcome<void> {
    const auto rows = t.query(
        "select headquarters, tag, sequence, as_of, heard_at from mirror_standing");
    if (rows.empty()) {
      for (const auto* table : {"images", "devices", "kits", "jobs"}) {
        if (t.query(fmt::format("select 1 from {} limit 1", table)).empty()) continue;
        return base::refuse(
            Kind::kExists,
            fmt::format("this state has {} of its own, and a mirror's are all "
                        "headquarters'; begin with an empty state folder",
                        table));
      }
      return {};
    }
    const auto& row = rows.front();
    if (row.text(0) != headquarters) {
      return base::refuse(Kind::kExists,
                          fmt::format("this state is a mirror of {}; begin with an empty "
                                      "state folder, or give that address",
                                      row.text(0)));
    }
    standing = {headquarters, row.text(1), row.integer(2), row.integer(3),
                row.integer(4)};
    t.each("select tab, row_key, digest from mirror_records where gone_at = 0", {},
           [&](const db::Row& one) {
             outline.emplace(Key{one.text(0), one.text(1)}, one.text(2));
           });
    return {};
  });
  if (!read) return read;
  {
    const base::Lock lock(mutex_);
    standing_ = std::move(standing);
    outline_ = std::move(outline);
  }
  return refresh();
}

Standing Adoption::standing() const {
  const base::Lock lock(mutex_);
  return standing_;
}

base::Outcome<bool> Adoption::take(const News& news) {
  const auto differs = [] {
    return base::refuse(Kind::kMismatch,
                        "the changes from headquarters do not fit what is here");
  };
  Outline outline;
  Standing standing;
  {
    const base::Lock lock(mutex_);
    standing = standing_;
    outline = outline_;
  }
  if (!news.base.empty() && news.base != standing.tag) return differs();
  std::vector<Key> gone = news.gone;
  std::vector<std::pair<Key, std::string>> fresh;  // with their digests
  if (news.base.empty()) {
    std::set<Key> named;
    for (const auto& [key, record] : news.fresh) named.insert(key);
    for (const auto& [key, digest] : outline) {
      if (!named.contains(key)) gone.push_back(key);
    }
  }
  for (const auto& key : gone) outline.erase(key);
  std::vector<const std::pair<Key, Record>*> changed;
  for (const auto& one : news.fresh) {
    auto digest = digest_of(one.first, one.second);
    auto& known = outline[one.first];
    if (known == digest) continue;
    known = digest;
    changed.push_back(&one);
    fresh.emplace_back(one.first, std::move(digest));
  }
  if (tag_of(outline) != news.tag) return differs();
  const auto now = repository_.clock.wall();
  standing.tag = news.tag;
  standing.sequence = news.sequence;
  standing.as_of = news.at;
  standing.heard_at = now;
  const bool any = !gone.empty() || !changed.empty();
  auto written = repository_.database->write([&](db::Transaction& t)
                                                 -> base::Outcome<void> {
    t.acting("headquarters");
    t.run(
        "insert into mirror_standing (headquarters, tag, sequence, as_of, heard_at, "
        "rows_sent) values (:h, :t, :s, :a, :n, 0) on conflict "
        "(headquarters) do update set tag = excluded.tag, sequence = excluded.sequence, "
        "as_of = excluded.as_of, heard_at = excluded.heard_at",
        {standing.of, standing.tag, standing.sequence, standing.as_of,
         standing.heard_at});
    if (!any) return {};
    for (const auto& key : gone) {
      t.run("update mirror_records set gone_at = :n where tab = :t and row_key = :k",
            {now, key.table, key.row});
    }
    for (std::size_t i = 0; i < changed.size(); ++i) {
      const auto& [key, record] = *changed[i];
      t.run(
          "insert into mirror_records (tab, row_key, digest, columns, needs, written, "
          "gone_at) values (:t, :k, :d, :c, :n, 0, 0) on conflict (tab, row_key) do "
          "update set digest = excluded.digest, columns = excluded.columns, needs = "
          "excluded.needs, written = 0, gone_at = 0",
          {key.table, key.row, fresh[i].second, stored(record.columns),
           joined(record.needs)});
    }
    // Of an image that is not named any more the rows stay; of one that is, they go.
    std::vector<Key> to_erase;
    for (const auto& row : t.query(
             fmt::format("select tab, row_key from mirror_records m where gone_at <> 0 "
                         "and not (tab in {} and exists (select 1 from mirror_records i "
                         "where i.tab = 'images' and i.gone_at <> 0 and i.needs = "
                         "m.needs))",
                         kImageTables))) {
      to_erase.push_back({row.text(0), row.text(1)});
    }
    erase_rows(t, std::move(to_erase));
    return write_rows(t, now);
  });
  if (!written) return base::refuse(written.error());
  {
    const base::Lock lock(mutex_);
    standing_ = standing;
    outline_ = std::move(outline);
  }
  if (any) {
    if (auto done = refresh(); !done) return base::refuse(done.error());
  }
  return any;
}

void Adoption::erase_rows(db::Transaction& transaction, std::vector<Key> keys) {
  // The rows that others refer to last.
  std::sort(keys.begin(), keys.end(), [](const Key& a, const Key& b) {
    return order_of(a.table) > order_of(b.table);
  });
  for (const auto& key : keys) {
    if (key.table == kImages) {
      // Rows that are another image's by now, and wait for its content.
      const auto id = std::strtoll(key.row.c_str(), nullptr, 10);
      for (const auto* table : {"image_names", "image_platforms", "vouches"}) {
        transaction.run(fmt::format("delete from {} where image = :i", table), {id});
      }
    }
    if (const auto* table = find_table(key.table)) erase(transaction, *table, key);
    transaction.run("delete from mirror_records where tab = :t and row_key = :k",
                    {key.table, key.row});
  }
}

void Adoption::free_name(db::Transaction& transaction, const Record& image) {
  for (const auto& row :
       transaction.query("select sha256 from images where name = :n and sha256 <> :s",
                         {text_in(image, "name"), text_in(image, "sha256")})) {
    std::vector<Key> keys;
    for (const auto& record : transaction.query(
             "select tab, row_key from mirror_records where gone_at <> 0 and needs = :c",
             {joined({row.text(0)})})) {
      keys.push_back({record.text(0), record.text(1)});
    }
    erase_rows(transaction, std::move(keys));
  }
}

base::Outcome<void> Adoption::write_rows(db::Transaction& transaction,
                                         base::WallTime now) {
  const auto held = held_contents(transaction);
  struct Waiting {
    const Table* table;
    Key key;
    Record record;
  };
  std::vector<Waiting> ready;
  for (const auto& row : transaction.query(
           "select tab, row_key, columns, needs from mirror_records where written = 0 "
           "and gone_at = 0")) {
    Key key{row.text(0), row.text(1)};
    // Contents, and tables of a newer headquarters, are nobody's rows.
    const auto* table = find_table(key.table);
    if (table == nullptr) continue;
    auto record = record_in(row.text(2), row.text(3));
    if (!record) return base::refuse(record.error());
    const bool all =
        std::all_of(record->needs.begin(), record->needs.end(),
                    [&](const std::string& one) { return held.contains(one); });
    if (all) ready.push_back({table, std::move(key), std::move(*record)});
  }
  std::stable_sort(ready.begin(), ready.end(), [](const Waiting& a, const Waiting& b) {
    return order_of(a.key.table) < order_of(b.key.table);
  });
  for (const auto& one : ready) {
    if (one.key.table == kImages) free_name(transaction, one.record);
  }
  for (const auto& one : ready) make_way(transaction, *one.table, one.key);
  for (const auto& one : ready) {
    write(transaction, *one.table, one.key, one.record.columns, now);
    transaction.run(
        "update mirror_records set written = 1 where tab = :t and row_key = :k",
        {one.key.table, one.key.row});
  }
  return {};
}

base::Outcome<void> Adoption::complete(db::Transaction& transaction,
                                       const std::string& sha256, std::uint64_t size) {
  const auto now = repository_.clock.wall();
  transaction.acting("headquarters");
  transaction.run(
      "insert into mirror_contents (sha256, size, held_at) values (:s, :z, :n) on "
      "conflict (sha256) do update set held_at = excluded.held_at",
      {sha256, static_cast<std::int64_t>(size), now});
  return write_rows(transaction, now);
}

base::Outcome<void> Adoption::refresh() {
  auto read = repository_.database->read(
      [&](db::Transaction& t) -> base::Outcome<std::shared_ptr<const AwaitedNames>> {
        std::map<std::string, Record> images;  // by their number
        std::set<std::string> wanted;
        std::vector<Record> offers;
        for (const auto& row : t.query(
                 "select tab, row_key, columns, needs from mirror_records where written "
                 "= 0 and gone_at = 0 and tab in ('images', 'offers', 'contents')")) {
          if (row.text(0) == kContents) {
            wanted.insert(row.text(1));
            continue;
          }
          auto record = record_in(row.text(2), row.text(3));
          if (!record) return base::refuse(record.error());
          if (row.text(0) == kImages) {
            images.emplace(text_in(*record, "id"), std::move(*record));
          } else {
            offers.push_back(std::move(*record));
          }
        }
        auto names = std::make_shared<AwaitedNames>();
        for (const auto& offer : offers) {
          const auto image = images.find(text_in(offer, "image"));
          if (image == images.end()) continue;
          Awaited one;
          one.name = text_in(offer, "name");
          one.sha256 = text_in(image->second, "sha256");
          one.size = std::strtoull(text_in(image->second, "size").c_str(), nullptr, 10);
          one.withdrawn = text_in(image->second, "withdrawn_why");
          one.wanted = wanted.contains(one.sha256);
          if (const auto network = text_in(offer, "network"); !network.empty()) {
            one.network = base::Network::parse(network);
          }
          auto folded = base::folded(one.name);
          names->emplace(std::move(folded), std::move(one));
        }
        return names;
      });
  if (!read) return base::refuse(read.error());
  awaited_.set(std::move(*read));
  return {};
}

base::Outcome<std::vector<Wanted>> Adoption::lacking() const {
  return repository_.database->read(
      [&](db::Transaction& t) -> base::Outcome<std::vector<Wanted>> {
        std::vector<Wanted> all;
        for (const auto& row : t.query(
                 "select row_key, columns from mirror_records where tab = 'contents' and "
                 "gone_at = 0 and (row_key not in (select sha256 from mirror_contents) "
                 "or row_key in (select sha256 from images where whole = 0))")) {
          auto record = record_in(row.text(1), "");
          if (!record) return base::refuse(record.error());
          auto wanted = wanted_of({kContents, row.text(0)}, *record);
          if (!wanted) return base::refuse(wanted.error());
          all.push_back(std::move(*wanted));
        }
        return all;
      });
}

base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>> Adoption::akin(
    const Wanted& wanted, std::size_t most) const {
  const auto platforms = catalog::split_lines(wanted.platforms);
  using Result = std::vector<std::pair<std::string, std::uint64_t>>;
  return repository_.database->read([&](db::Transaction& t) -> base::Outcome<Result> {
    Result result;
    for (const auto& row : t.query(
             "select i.sha256, i.size, i.platforms from images i join mirror_contents c "
             "on c.sha256 = i.sha256 where i.whole = 1 and i.sha256 <> :s order by "
             "c.held_at desc",
             {wanted.sha256})) {
      if (result.size() == most) break;
      const auto others = catalog::split_lines(row.text(2));
      const bool common =
          std::any_of(others.begin(), others.end(), [&](const std::string& one) {
            return std::find(platforms.begin(), platforms.end(), one) != platforms.end();
          });
      if (common) {
        result.emplace_back(row.text(0), static_cast<std::uint64_t>(row.integer(1)));
      }
    }
    return result;
  });
}

base::Outcome<std::uint64_t> Adoption::held() const {
  return repository_.database->read(
      [&](db::Transaction& t) -> base::Outcome<std::uint64_t> {
        return static_cast<std::uint64_t>(
            t.query("select count(*) from mirror_contents").front().integer(0));
      });
}

base::Outcome<std::size_t> Adoption::sweep(base::WallTime older_than) {
  std::vector<std::string> contents;
  auto swept =
      repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
        contents.clear();
        t.acting("headquarters");
        std::vector<Key> keys;
        for (const auto& row : t.query(
                 "select tab, row_key, needs from mirror_records where gone_at <> 0 and "
                 "gone_at < :o",
                 {older_than})) {
          keys.push_back({row.text(0), row.text(1)});
          if (row.text(0) != kImages) continue;
          const auto needs = parted(row.text(2));
          if (!needs) return base::refuse(needs.error());
          contents.insert(contents.end(), needs->begin(), needs->end());
        }
        erase_rows(t, std::move(keys));
        for (const auto& one : contents) {
          t.run("delete from mirror_contents where sha256 = :s", {one});
        }
        return {};
      });
  if (!swept) return base::refuse(swept.error());
  for (const auto& one : contents) repository_.contents.remove_if_unrecorded(one);
  return contents.size();
}

}  // namespace vantro::mirror
