#include "repository/record_anew.h"

#include "backup/backups.h"
#include "catalog/catalog.h"
#include "store/sealed_file.h"

namespace vantro::repository {

using base::Kind;

base::Outcome<ReadFile> read_file(const store::StateFolder& folder,
                                  const store::StoredFile& file,
                                  const store::StoredHandle& handle) {
  ReadFile result{file, 0, {}};
  crypto::Digester digester;
  auto read =
      store::read_plain(handle.file.get(), handle.sealed ? folder.keys() : nullptr, false,
                        [&](base::ByteView bytes) -> base::Outcome<void> {
                          digester.update(bytes);
                          result.size += bytes.size();
                          return {};
                        });
  if (!read && read.error().kind != Kind::kCorrupt) return base::refuse(read.error());
  result.digests = digester.finish();
  return result;
}

base::Outcome<std::string> record_anew(db::Transaction& t, const ReadFile& read,
                                       base::WallTime now) {
  auto name = "recovered-" + read.file.name.substr(0, 12);
  if (read.file.sealed) {
    backup::Revision revision;
    revision.holder = {0, "recovered"};
    revision.address = "recovered";
    revision.name = name;
    revision.complete = true;
    revision.size = read.size;
    revision.digests = read.digests;
    revision.arrived_at = now;
    revision.kind = backup::FileKind::kConfiguration;
    revision.text = true;
    backup::Backups::add(t, std::move(revision));
    return name;
  }
  catalog::Image image;
  image.name = name;
  image.size = read.size;
  image.digests = read.digests;
  image.taken_in_at = now;
  image.taken_in_by = "recovery";
  auto added = catalog::Catalog::add(t, std::move(image));
  if (!added) return base::refuse(added.error());
  return name;
}

}  // namespace vantro::repository
