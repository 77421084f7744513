#include "catalog/documents.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "catalog/image.h"
#include "text/nearest.h"

namespace vantro::catalog {
namespace {

using base::Kind;

std::vector<Document> read(db::Transaction& transaction, std::int64_t image) {
  std::vector<Document> documents;
  for (const auto& row : transaction.query(
           "select name, sha256, size, added_at from documents where image = :i "
           "and removed_at is null order by name",
           {image})) {
    documents.push_back({row.text(0), row.text(1),
                         static_cast<std::uint64_t>(row.integer(2)), row.integer(3)});
  }
  return documents;
}

void remove(db::Transaction& transaction, std::int64_t image, const std::string& name,
            base::WallTime now) {
  transaction.run(
      "update documents set removed_at = :t where image = :i and name = :n and "
      "removed_at is null",
      {now, image, name});
}

base::Outcome<Document> find_in(const std::vector<Document>& documents,
                                const std::string& name) {
  std::vector<std::string> names;
  for (const auto& document : documents) {
    if (document.name == name) return document;
    names.push_back(document.name);
  }
  return base::refuse(
      Kind::kNotFound,
      fmt::format("the image has no document '{}'", base::printable(name)),
      text::nearest(name, names).value_or(""));
}

}  // namespace

base::Outcome<void> Documents::check_name(const std::string& name) {
  const auto folded = base::folded(name);
  for (const auto* ending : {".txt", ".md", ".pdf"}) {
    if (folded.ends_with(ending)) return {};
  }
  return base::refuse(Kind::kInvalid,
                      fmt::format("'{}' is not a document; release notes are text "
                                  "(.txt), Markdown (.md) or PDF (.pdf)",
                                  base::printable(name)));
}

void Documents::attach(db::Transaction& transaction, std::int64_t image,
                       const Document& document) {
  remove(transaction, image, document.name, document.added_at);
  transaction.run(
      "insert into documents (id, image, name, sha256, size, added_at, whole) values "
      "(:d, :i, :n, :s, :z, :t, 1)",
      {transaction.next_number("documents"), image, document.name, document.sha256,
       static_cast<std::int64_t>(document.size), document.added_at});
  transaction.changed(kImageChanged, std::to_string(image));
}

void Documents::mark_read(db::Transaction& transaction, const std::string& sha256,
                          bool whole) {
  transaction.run("update documents set whole = :w where sha256 = :s",
                  {std::int64_t{whole}, sha256});
}

base::Outcome<void> Documents::detach(db::Transaction& transaction, std::int64_t image,
                                      const std::string& name, base::WallTime now) {
  if (auto found = find_in(read(transaction, image), name); !found) {
    return base::refuse(found.error());
  }
  remove(transaction, image, name, now);
  transaction.changed(kImageChanged, std::to_string(image));
  return {};
}

base::Outcome<std::vector<Document>> Documents::of(std::int64_t image) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<Document>> {
    return read(t, image);
  });
}

base::Outcome<Document> Documents::find(std::int64_t image,
                                        const std::string& name) const {
  const auto documents = of(image);
  if (!documents) return base::refuse(documents.error());
  return find_in(*documents, name);
}

}  // namespace vantro::catalog
