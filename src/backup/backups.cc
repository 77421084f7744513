#include "backup/backups.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::backup {
namespace {

using base::Kind;

const std::string kSelect =
    "select id, address, name, number, complete, size, announced, md5, sha1, sha256, "
    "sha512, partial_file, arrived_at, protocol, why, whole, read_at, account from "
    "revisions ";

Revision revision_of(const db::Row& row) {
  Revision revision;
  revision.id = row.integer(0);
  revision.address = row.text(1);
  revision.name = row.text(2);
  revision.number = row.integer(3);
  revision.complete = row.integer(4) != 0;
  revision.size = static_cast<std::uint64_t>(row.integer(5));
  if (!row.is_null(6)) revision.announced = static_cast<std::uint64_t>(row.integer(6));
  revision.digests = {row.text(7), row.text(8), row.text(9), row.text(10)};
  revision.partial_file = row.text(11);
  revision.arrived_at = row.integer(12);
  revision.protocol = row.text(13);
  revision.why = row.text(14);
  revision.whole = row.integer(15) != 0;
  revision.read_at = row.integer(16);
  revision.account = row.text(17);
  return revision;
}

db::Value text_or_null(const std::string& text) {
  if (text.empty()) return nullptr;
  return text;
}

}  // namespace

Revision Backups::add(db::Transaction& transaction, Revision revision) {
  revision.id = transaction.query("select coalesce(max(id), 0) + 1 from revisions")
                    .front()
                    .integer(0);
  revision.number = transaction
                        .query(
                            "select coalesce(max(number), 0) + 1 from revisions where "
                            "address = :a and name = :n",
                            {revision.address, revision.name})
                        .front()
                        .integer(0);
  db::Value announced = nullptr;
  if (revision.announced) announced = static_cast<std::int64_t>(*revision.announced);
  transaction.run(
      "insert into revisions (id, address, name, number, complete, size, announced, md5, "
      "sha1, sha256, sha512, partial_file, arrived_at, protocol, why, read_at, "
      "account) values "
      "(:i, :a, :n, :r, :c, :z, :x, :d, :e, :f, :g, :p, :t, :q, :w, :y, :k)",
      {revision.id, revision.address, revision.name, revision.number,
       std::int64_t{revision.complete ? 1 : 0}, static_cast<std::int64_t>(revision.size),
       announced, text_or_null(revision.digests.md5), text_or_null(revision.digests.sha1),
       text_or_null(revision.digests.sha256), text_or_null(revision.digests.sha512),
       text_or_null(revision.partial_file), revision.arrived_at, revision.protocol,
       revision.why, revision.arrived_at, revision.account});
  return revision;
}

void Backups::mark_read(db::Transaction& transaction, const std::string& sha256,
                        bool whole, base::WallTime now) {
  transaction.run("update revisions set whole = :w, read_at = :t where sha256 = :s",
                  {std::int64_t{whole}, now, sha256});
}

base::Outcome<std::vector<Revision>> Backups::revisions(
    const std::optional<std::string>& address) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<Revision>> {
    const auto order = std::string("order by address, name, number");
    const auto rows = address
                          ? t.query(kSelect + "where address = :a " + order, {*address})
                          : t.query(kSelect + order);
    std::vector<Revision> revisions;
    revisions.reserve(rows.size());
    for (const auto& row : rows) revisions.push_back(revision_of(row));
    return revisions;
  });
}

base::Outcome<Revision> Backups::find(const std::string& address, const std::string& name,
                                      std::optional<std::int64_t> number) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<Revision> {
    const auto rows = t.query(
        kSelect + "where address = :a and name = :n order by complete desc, number desc",
        {address, name});
    if (rows.empty()) {
      const auto of_address = t.query(
          "select name from revisions where address = :a order by arrived_at desc, "
          "id desc",
          {address});
      const auto shown_name = base::printable(name, 80);
      const auto shown_address = base::printable(address, 50);
      if (of_address.empty()) {
        return base::refuse(
            Kind::kNotFound,
            fmt::format("nothing was ever received from '{}'; 'vantro backup "
                        "list' shows what there is",
                        shown_address));
      }
      return base::refuse(
          Kind::kNotFound,
          fmt::format("there is no backup '{}' from {}", shown_name, shown_address),
          of_address.front().text(0));
    }
    if (!number) return revision_of(rows.front());
    std::int64_t newest = 0;
    for (const auto& row : rows) {
      auto revision = revision_of(row);
      if (revision.number == *number) return revision;
      newest = std::max(newest, revision.number);
    }
    return base::refuse(Kind::kNotFound,
                        fmt::format("'{}' from {} has revisions 1 to {}, not {}", name,
                                    address, newest, *number));
  });
}

base::Outcome<std::optional<Revision>> Backups::newest(const std::string& address,
                                                       const std::string& name) const {
  using Found = std::optional<Revision>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Found> {
    const auto rows =
        t.query(kSelect + "where address = :a and name = :n order by number desc limit 1",
                {address, name});
    return rows.empty() ? Found() : revision_of(rows.front());
  });
}

base::Outcome<std::uint64_t> Backups::bytes_since(const std::string& address,
                                                  base::WallTime since) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::uint64_t> {
    return static_cast<std::uint64_t>(
        t.query("select coalesce(sum(size), 0) from revisions where address = :a and "
                "arrived_at >= :t",
                {address, since})
            .front()
            .integer(0));
  });
}

base::Outcome<std::size_t> Backups::count() const {
  return database_.read([](db::Transaction& t) -> base::Outcome<std::size_t> {
    return static_cast<std::size_t>(
        t.query("select count(*) from revisions").front().integer(0));
  });
}

base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>> Backups::contents()
    const {
  using Contents = std::vector<std::pair<std::string, std::uint64_t>>;
  return database_.read([](db::Transaction& t) -> base::Outcome<Contents> {
    Contents contents;
    for (const auto& row :
         t.query("select distinct sha256, size from revisions where complete = 1")) {
      contents.emplace_back(row.text(0), static_cast<std::uint64_t>(row.integer(1)));
    }
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

}  // namespace vantro::backup
