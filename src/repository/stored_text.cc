#include "repository/stored_text.h"

#include <cerrno>
#include <fmt/format.h>
#include <unistd.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "repository/repository.h"
#include "text/content.h"

namespace vantro::repository {

using base::Kind;

base::Outcome<std::string> read_for_comparing(int file, std::uint64_t most) {
  constexpr std::size_t kAtOnce = 256 * 1024;
  std::string text;
  while (text.size() < most) {
    const auto have = text.size();
    text.resize(have + std::min<std::size_t>(kAtOnce, most - have));
    const auto count =
        ::pread(file, text.data() + have, text.size() - have, static_cast<off_t>(have));
    if (count < 0 && errno != EINTR) {
      return base::refuse(base::system_refusal(errno, "the stored file can't be read"));
    }
    text.resize(have + static_cast<std::size_t>(std::max<ssize_t>(count, 0)));
    if (count == 0) break;
  }
  return text;
}

base::Outcome<std::string> read_stored_text(Repository& repository,
                                            const backup::Revision& revision) {
  const auto most = repository.rules.treatment.configuration_up_to();
  const auto what = fmt::format("revision {} of '{}'", revision.number,
                                base::printable(revision.name, 80));
  if (revision.size > most) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("{} has {}; only files up to {} are compared", what,
                    base::size_text(revision.size), base::size_text(most)));
  }
  auto& folder = repository.folder;
  if (!revision.complete && revision.partial_file.empty()) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format("{} was interrupted, and its bytes were kept only for some "
                    "days",
                    what));
  }
  const auto file = revision.complete
                        ? folder.open_stored(revision.digests.sha256, revision.size)
                        : folder.open_partial(revision.partial_file);
  if (!file) return base::refuse(file.error());
  auto text = read_for_comparing(file->get(), most);
  if (!text) return text;
  text::ContentTeller content;
  content.update(base::as_bytes(*text));
  if (!content.is_text()) {
    return base::refuse(Kind::kInvalid, what + " is not text");
  }
  return text;
}

}  // namespace vantro::repository
