#include "gate/tree.h"

#include <fmt/format.h>

#include "base/numbers.h"
#include "base/visible_name.h"

namespace vantro::gate {

std::optional<ChecksumName> checksum_name(std::string_view name) {
  const auto dot = name.rfind('.');
  if (dot == std::string_view::npos || dot == 0) return std::nullopt;
  const auto ending = base::folded(name.substr(dot + 1));
  const auto rest = std::string(name.substr(0, dot));
  if (ending == "sha256") return ChecksumName{rest, crypto::Algorithm::kSha256};
  if (ending == "sha512") return ChecksumName{rest, crypto::Algorithm::kSha512};
  if (ending == "md5") return ChecksumName{rest, crypto::Algorithm::kMd5};
  return std::nullopt;
}

BackupName backup_name(std::string_view rest) {
  constexpr std::string_view kRevision = "revision-";
  const auto slash = rest.find('/');
  if (slash != std::string_view::npos && rest.starts_with(kRevision)) {
    const auto number = base::parse_number<std::int64_t>(
        rest.substr(kRevision.size(), slash - kRevision.size()));
    if (number && *number > 0) return {std::string(rest.substr(slash + 1)), number};
  }
  return {std::string(rest), std::nullopt};
}

std::string backup_path(const std::string& name, std::int64_t revision) {
  return fmt::format("{}revision-{}/{}", kBackupsFolder, revision, name);
}

}  // namespace vantro::gate
