#include "serve/push/over_curl.h"

#include <cstring>
#include <curl/curl.h>
#include <fmt/format.h>
#include <memory>
#include <thread>

#include "base/base64.h"
#include "base/percent.h"
#include "base/visible_name.h"
#include "crypto/digests.h"

namespace vantro::serve::push {
namespace {

constexpr long kConnectFor = 10;  // seconds
// Less than a byte a second for so long means stalled; a device that erases its flash is
// silent for minutes.
constexpr long kStalledFor = 300;
constexpr std::chrono::seconds kTryAgain{2};
constexpr std::size_t kLongestAnswer = 4096;

struct Handle {
  CURL* curl = curl_easy_init();
  curl_slist* fields =
      curl_slist_append(nullptr, "Content-Type: application/octet-stream");
  Handle() = default;
  Handle(const Handle&) = delete;
  Handle& operator=(const Handle&) = delete;
  ~Handle() {
    curl_easy_cleanup(curl);
    curl_slist_free_all(fields);
  }
};

// One attempt.
struct Attempt {
  const gate::ReadGrant& grant;
  const Target& target;
  Progress& progress;
  std::uint64_t at = 0;
  std::string refusal;      // of reading the stored file
  std::string fingerprint;  // that the device showed
  bool other_key = false;
  std::string answer;  // an HTTP body, for people
};

std::size_t read_file(char* to, std::size_t size, std::size_t count, void* user) {
  auto& attempt = *static_cast<Attempt*>(user);
  const auto wanted =
      std::min<std::uint64_t>(size * count, attempt.grant.size() - attempt.at);
  auto* bytes = reinterpret_cast<std::uint8_t*>(to);
  const auto done = attempt.grant.read(attempt.at, std::span(bytes, wanted));
  if (!done) {
    attempt.refusal = done.error().sentence;
    return CURL_READFUNC_ABORT;
  }
  attempt.at += wanted;
  return wanted;
}

int seek_file(void* user, curl_off_t offset, int origin) {
  auto& attempt = *static_cast<Attempt*>(user);
  if (origin != SEEK_SET || offset < 0 ||
      static_cast<std::uint64_t>(offset) > attempt.grant.size()) {
    return CURL_SEEKFUNC_CANTSEEK;
  }
  attempt.at = static_cast<std::uint64_t>(offset);
  return CURL_SEEKFUNC_OK;
}

std::size_t take_answer(const char* from, std::size_t size, std::size_t count,
                        void* user) {
  auto& attempt = *static_cast<Attempt*>(user);
  const auto room = kLongestAnswer - std::min(kLongestAnswer, attempt.answer.size());
  attempt.answer.append(from, std::min(size * count, room));
  return size * count;
}

int moved(void* user, curl_off_t, curl_off_t, curl_off_t, curl_off_t sent) {
  auto& attempt = *static_cast<Attempt*>(user);
  if (sent > 0) {
    attempt.progress.listens = true;
    attempt.grant.transfer().advance({static_cast<std::uint64_t>(sent), 0, 0});
  }
  return attempt.progress.stop ? 1 : 0;
}

int host_key(void* user, int, const char* key, std::size_t length) {
  auto& attempt = *static_cast<Attempt*>(user);
  crypto::Digester digester;
  digester.update(base::as_bytes({key, length}));
  auto text = base::base64(*base::from_hex(digester.finish().sha256));
  // As OpenSSH writes it: without padding.
  while (text.ends_with('=')) text.pop_back();
  attempt.fingerprint = "SHA256:" + text;
  attempt.other_key = !attempt.target.fingerprint.empty() &&
                      attempt.target.fingerprint != attempt.fingerprint;
  return attempt.other_key ? CURLKHMATCH_MISMATCH : CURLKHMATCH_OK;
}

std::string url_of(const Target& target) {
  auto host = target.to.text();
  // SCP: a name without a slash is in the account's home folder (libcurl: "/~/").
  const bool ssh = target.protocol == "scp" || target.protocol == "sftp";
  const bool absolute = target.name.starts_with('/');
  return fmt::format("{}://{}{}{}", target.protocol, host,
                     ssh && !absolute ? "/~/"
                     : absolute       ? ""
                                      : "/",
                     base::percent_encoded(target.name, "/"));
}

void set_up(CURL* curl, Attempt& attempt, std::array<char, CURL_ERROR_SIZE>& said) {
  const auto& target = attempt.target;
  curl_easy_setopt(curl, CURLOPT_URL, url_of(target).c_str());
  curl_easy_setopt(curl, CURLOPT_PROTOCOLS_STR, target.protocol.c_str());
  curl_easy_setopt(curl, CURLOPT_PROXY, "");
  curl_easy_setopt(curl, CURLOPT_NOSIGNAL, 1L);
  curl_easy_setopt(curl, CURLOPT_ERRORBUFFER, said.data());
  curl_easy_setopt(curl, CURLOPT_CONNECTTIMEOUT, kConnectFor);
  curl_easy_setopt(curl, CURLOPT_LOW_SPEED_LIMIT, 1L);
  curl_easy_setopt(curl, CURLOPT_LOW_SPEED_TIME, kStalledFor);
  curl_easy_setopt(curl, CURLOPT_READFUNCTION, read_file);
  curl_easy_setopt(curl, CURLOPT_READDATA, &attempt);
  curl_easy_setopt(curl, CURLOPT_SEEKFUNCTION, seek_file);
  curl_easy_setopt(curl, CURLOPT_SEEKDATA, &attempt);
  curl_easy_setopt(curl, CURLOPT_WRITEFUNCTION, take_answer);
  curl_easy_setopt(curl, CURLOPT_WRITEDATA, &attempt);
  curl_easy_setopt(curl, CURLOPT_XFERINFOFUNCTION, moved);
  curl_easy_setopt(curl, CURLOPT_XFERINFODATA, &attempt);
  curl_easy_setopt(curl, CURLOPT_NOPROGRESS, 0L);
  const auto size = static_cast<curl_off_t>(attempt.grant.size());
  if (target.post) {
    curl_easy_setopt(curl, CURLOPT_POST, 1L);
    curl_easy_setopt(curl, CURLOPT_POSTFIELDSIZE_LARGE, size);
  } else {
    curl_easy_setopt(curl, CURLOPT_UPLOAD, 1L);
    curl_easy_setopt(curl, CURLOPT_INFILESIZE_LARGE, size);
  }
  if (!target.interface.empty()) {
    curl_easy_setopt(curl, CURLOPT_INTERFACE, ("if!" + target.interface).c_str());
  }
  if (!target.account.empty()) {
    curl_easy_setopt(curl, CURLOPT_USERNAME, target.account.c_str());
    curl_easy_setopt(curl, CURLOPT_PASSWORD, target.password.c_str());
    curl_easy_setopt(curl, CURLOPT_HTTPAUTH, CURLAUTH_ANY);
    curl_easy_setopt(curl, CURLOPT_SSH_AUTH_TYPES,
                     CURLSSH_AUTH_PASSWORD | CURLSSH_AUTH_KEYBOARD);
  }
  curl_easy_setopt(curl, CURLOPT_SSH_HOSTKEYFUNCTION, host_key);
  curl_easy_setopt(curl, CURLOPT_SSH_HOSTKEYDATA, &attempt);
}

bool not_there_yet(CURLcode code, const Attempt& attempt) {
  return (code == CURLE_COULDNT_CONNECT || code == CURLE_OPERATION_TIMEDOUT) &&
         attempt.fingerprint.empty() && attempt.at == 0;
}

}  // namespace

Ending over_curl(gate::ReadGrant grant, const Target& target, const base::Clock& clock,
                 Progress& progress) {
  Ending ending;
  const auto end = [&](Outcome how, gate::State state, std::string why) {
    ending.how = how;
    ending.why = std::move(why);
    grant.transfer().end(state, ending.why);
    return ending;
  };
  const auto failed = [&](std::string why) {
    return end(Outcome::kFailed, gate::State::kFailed, std::move(why));
  };
  const auto give_up_at = clock.now() + target.wait;
  while (true) {
    const Handle handle;
    Attempt attempt{grant, target, progress, 0, "", "", false, ""};
    std::array<char, CURL_ERROR_SIZE> said{};
    set_up(handle.curl, attempt, said);
    curl_easy_setopt(handle.curl, CURLOPT_HTTPHEADER, handle.fields);
    const auto code = curl_easy_perform(handle.curl);
    ending.fingerprint = attempt.fingerprint;
    if (progress.stop) return failed("it was ended by a person");
    if (!attempt.refusal.empty()) return failed(attempt.refusal);
    if (attempt.other_key) {
      return failed(
          fmt::format("the device's host key has changed: it shows {}, and {} was "
                      "remembered; if that "
                      "is right, push again with --host-key {}",
                      attempt.fingerprint, target.fingerprint, attempt.fingerprint));
    }
    long status = 0;
    curl_easy_getinfo(handle.curl, CURLINFO_RESPONSE_CODE, &status);
    if (code == CURLE_OK && target.protocol == "http" && status >= 300) {
      return end(Outcome::kAbandoned, gate::State::kAbandoned,
                 fmt::format("the device refused it with {}: {}", status,
                             base::printable(base::trimmed(attempt.answer))));
    }
    if (code == CURLE_OK) {
      grant.transfer().advance({grant.size(), 0, 0});
      return end(Outcome::kComplete, gate::State::kComplete, "");
    }
    if (code == CURLE_LOGIN_DENIED) {
      return end(Outcome::kAbandoned, gate::State::kAbandoned,
                 fmt::format("the device refused the account '{}' or its password",
                             base::printable(target.account, 40)));
    }
    if (!not_there_yet(code, attempt)) {
      const std::string why = said[0] == '\0' ? curl_easy_strerror(code) : said.data();
      return end(Outcome::kAbandoned, gate::State::kAbandoned, base::printable(why));
    }
    if (clock.now() + kTryAgain >= give_up_at) {
      return end(Outcome::kAbandoned, gate::State::kAbandoned,
                 fmt::format("the device did not listen at {}", target.to.text()));
    }
    // Again, without a message; meanwhile a person may end it.
    for (int i = 0; i < 20 && !progress.stop; ++i) {
      std::this_thread::sleep_for(kTryAgain / 20);
    }
  }
}

}  // namespace vantro::serve::push
