#include "daemon/journal.h"

#include <cctype>
#include <cstdlib>
#include <fmt/format.h>
#include <sys/stat.h>
#include <sys/uio.h>
#include <syslog.h>
#include <systemd/sd-journal.h>
#include <unistd.h>
#include <vector>

namespace vantro::daemon {
namespace {

int priority(base::Log::Level level) {
  switch (level) {
    case base::Log::Level::kDebug:
      return LOG_DEBUG;
    case base::Log::Level::kInfo:
      return LOG_INFO;
    case base::Log::Level::kWarning:
      return LOG_WARNING;
    case base::Log::Level::kError:
      return LOG_ERR;
  }
  return LOG_INFO;
}

// The journal's rule for names: capital letters, digits and underscores.
std::string journal_field(const char* name) {
  std::string field = "VANTRO_";
  for (const char* at = name; *at != '\0'; ++at) {
    const auto c = static_cast<unsigned char>(*at);
    field += std::isalnum(c) != 0 ? static_cast<char>(std::toupper(c)) : '_';
  }
  return field;
}

std::string text_of(const base::Field& field) {
  const auto* number = std::get_if<std::int64_t>(&field.value);
  return number != nullptr ? std::to_string(*number) : std::get<std::string>(field.value);
}

}  // namespace

bool standard_error_is_journal() {
  // "device:inode" of the stream that the journal gave this process (systemd.exec(5)).
  const char* told = std::getenv("JOURNAL_STREAM");
  struct stat here {};
  if (told == nullptr || ::fstat(STDERR_FILENO, &here) != 0) return false;
  return fmt::format("{}:{}", here.st_dev, here.st_ino) == told;
}

base::Log::Sink journal_sink() {
  return [](base::Log::Level level, std::string_view sentence,
            const base::Log::Fields& fields) {
    std::vector<std::string> parts{"MESSAGE=" + base::Log::line(sentence, fields),
                                   fmt::format("PRIORITY={}", priority(level)),
                                   "SYSLOG_IDENTIFIER=vantrod",
                                   "VANTRO_EVENT=" + std::string(sentence)};
    for (const auto& field : fields) {
      parts.push_back(journal_field(field.name) + "=" + text_of(field));
    }
    std::vector<iovec> pieces;
    pieces.reserve(parts.size());
    for (auto& part : parts) pieces.push_back({part.data(), part.size()});
    ::sd_journal_sendv(pieces.data(), static_cast<int>(pieces.size()));
  };
}

base::Log make_log(const LogSettings& settings) {
  const bool journal = settings.form == LogForm::kJournal ||
                       (settings.form == LogForm::kAuto && standard_error_is_journal());
  if (journal) return base::Log(journal_sink(), settings.level);
  return base::Log(
      settings.form == LogForm::kJson ? base::Log::Form::kJson : base::Log::Form::kText,
      settings.level);
}

}  // namespace vantro::daemon
