#include "daemon/first_people.h"

#include <algorithm>
#include <cerrno>
#include <fcntl.h>
#include <fmt/format.h>
#include <optional>
#include <unistd.h>
#include <utility>
#include <vector>

#include "auth/people.h"
#include "base/unique_fd.h"
#include "repository/change.h"

namespace vantro::daemon {
namespace {

using base::Kind;

// As earlier versions made them: 24 bytes in hexadecimal, or a text that people put
// there.
constexpr std::size_t kShortest = 16;
constexpr std::size_t kLongest = 128;

// Nothing if the file does not exist.
base::Outcome<std::optional<std::string>> token_in(const std::string& file) {
  const base::UniqueFd there(
      ::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK));
  if (!there && errno == ENOENT) return std::nullopt;
  if (!there) return base::refuse(base::system_refusal(errno, file));
  std::string text(kLongest + 2, '\0');
  const auto count = ::read(there.get(), text.data(), text.size());
  if (count < 0) return base::refuse(base::system_refusal(errno, file));
  text.resize(static_cast<std::size_t>(count));
  if (text.ends_with('\n')) text.pop_back();
  // An empty file is left from a crash while an older program made it: nobody has that
  // token.
  if (text.empty()) return std::nullopt;
  const bool sound = text.size() >= kShortest && text.size() <= kLongest &&
                     std::all_of(text.begin(), text.end(), [](char c) {
                       return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'z') ||
                              (c >= 'A' && c <= 'Z') || c == '-' || c == '_';
                     });
  if (!sound) {
    return base::refuse(
        Kind::kCorrupt,
        fmt::format("{} has no valid token ({} to {} letters, digits, '-' and '_' in one "
                    "line); move it away, and start again",
                    file, kShortest, kLongest));
  }
  return text;
}

}  // namespace

base::Outcome<void> people_of_token_files(repository::Repository& repository) {
  const auto any = repository.people.any_ever();
  if (!any) return base::refuse(any.error());
  if (*any) return {};
  struct First {
    const char* name;
    std::string file;
    std::set<auth::Right> rights;
  };
  const First firsts[] = {
      {"operator", repository.folder.token_file(), {auth::Right::kPush}},
      {"secrets",
       repository.folder.secrets_token_file(),
       {auth::Right::kSecrets, auth::Right::kPush}},
  };
  // Both are read before anything is written, and written together: after the first
  // person the files are not read again.
  std::vector<std::pair<First, std::string>> found;
  for (const auto& first : firsts) {
    const auto token = token_in(first.file);
    if (!token) return base::refuse(token.error());
    if (*token) found.emplace_back(first, **token);
  }
  if (found.empty()) return {};
  const auto made = repository::change(
      repository, "server",
      [&](db::Transaction& t, repository::Change& change) -> base::Outcome<void> {
        for (const auto& [first, text] : found) {
          auth::Person person;
          person.name = first.name;
          person.powers = {auth::Role::kAdminister, first.rights};
          person.remarks = "from the file " + first.file;
          person.made_at = person.changed_at = change.now();
          if (auto added = auth::People::add(t, person); !added) return added;
          auth::Token token;
          token.person = person.name;
          token.label = "file";
          token.digest = auth::token_digest(text);
          token.made_at = change.now();
          const auto added = auth::People::add_token(t, token);
          if (!added) return base::refuse(added.error());
          change.record(t, "person-add", person.name, "", person.remarks);
        }
        return {};
      });
  // Another node has made them in this moment.
  if (!made && made.error().kind == Kind::kExists) return {};
  return made;
}

}  // namespace vantro::daemon
