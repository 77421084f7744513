#include "gate/repository.h"

#include <fmt/format.h>
#include <sys/stat.h>

namespace vantro::gate {

base::Outcome<std::unique_ptr<Repository>> Repository::open(const std::string& state,
                                                            const base::Log& log) {
  auto folder = store::StateFolder::open(state);
  if (!folder) return base::refuse(folder.error());
  struct stat found {};
  if (::stat(folder->database().c_str(), &found) != 0) {
    const auto vault = folder->list_vault();
    if (!vault) return base::refuse(vault.error());
    if (!vault->empty()) {
      return base::refuse(
          base::Kind::kCorrupt,
          fmt::format(
              "{} is missing, but vault/ holds {} files that it knew: put the "
              "database back, or start once with --recover-database to record the "
              "files anew",
              folder->database(), vault->size()));
    }
  }
  auto database = db::Database::open(folder->database());
  if (!database) {
    auto refusal = database.error();
    if (refusal.kind == base::Kind::kCorrupt) {
      refusal.sentence +=
          "; the files in vault/ are untouched. Put a sound copy of the database in its "
          "place, or start once with --recover-database to record the files anew";
    }
    return base::refuse(std::move(refusal));
  }
  return std::make_unique<Repository>(std::move(*folder), std::move(*database), log);
}

}  // namespace vantro::gate
