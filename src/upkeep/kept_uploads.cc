#include "upkeep/kept_uploads.h"

namespace vantro::upkeep {

KeptUploads::KeptUploads(repository::Repository& repository, gate::Gate& gate)
    : repository_(repository),
      gate_(gate),
      follow_up_(repository.log, "Vantro no longer files what was kept for the database",
                 [this] { return file(); }) {}

FollowUp::Did KeptUploads::file() {
  if (repository_.database->away()) return FollowUp::Did::kNothing;
  const auto filed = gate_.file_kept(repository_.folder);
  if (filed) {
    if (*filed > 0) {
      repository_.log.info("backups that waited for the database were filed",
                           {{"backups", *filed}});
    }
    return FollowUp::Did::kNothing;
  }
  // It is away again, or was stopped in between.
  if (filed.error().kind == base::Kind::kBusy) return FollowUp::Did::kNothing;
  repository_.log.error("a backup that waited for the database can't be filed",
                        {{"why", filed.error().sentence}});
  return FollowUp::Did::kFailed;
}

}  // namespace vantro::upkeep
