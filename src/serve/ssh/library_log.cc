#include "serve/ssh/library_log.h"

#include <algorithm>
#include <charconv>
#include <libssh/callbacks.h>
#include <libssh/libssh.h>
#include <optional>
#include <string_view>

namespace vantro::serve::ssh {
namespace {

thread_local LibraryLog* listener = nullptr;

// The text after the words, up to the end of the line.
std::optional<std::string_view> behind(std::string_view line, std::string_view words) {
  const auto at = line.find(words);
  if (at == std::string_view::npos) return std::nullopt;
  return line.substr(at + words.size());
}

int level_of(LibraryLog::Detail detail) {
  switch (detail) {
    case LibraryLog::Detail::kAlgorithms:
      return SSH_LOG_INFO;
    case LibraryLog::Detail::kPackets:
      return SSH_LOG_DEBUG;
    case LibraryLog::Detail::kSignatures:
      return SSH_LOG_TRACE;
  }
  return SSH_LOG_NONE;
}

}  // namespace

LibraryLog::LibraryLog(Detail detail) {
  listener = this;
  ssh_set_log_callback(hear);
  listen_for(detail);
}

LibraryLog::~LibraryLog() {
  ssh_set_log_level(SSH_LOG_NONE);
  listener = nullptr;
}

void LibraryLog::listen_for(Detail detail) { ssh_set_log_level(level_of(detail)); }

void LibraryLog::hear(int, const char*, const char* text, void*) {
  if (listener != nullptr) listener->hear(text);
}

void LibraryLog::hear(const char* text) {
  const std::string_view line(text);
  if (auto agreed = behind(line, "Negotiated ")) {
    while (!agreed->empty()) {
      const auto end = std::min(agreed->find(','), agreed->size());
      words_.emplace_back(agreed->substr(0, end));
      agreed->remove_prefix(std::min(end + 1, agreed->size()));
    }
  } else if (const auto verified = behind(line, "Going to verify a ")) {
    words_.emplace_back(verified->substr(0, verified->find(' ')));
  } else if (behind(line, "packet: read type ")) {
    const auto payload = behind(line, "payload=").value_or("");
    payload_ = 0;
    std::from_chars(payload.begin(), payload.end(), payload_);
  }
}

}  // namespace vantro::serve::ssh
