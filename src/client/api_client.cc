#include "client/api_client.h"

#include <array>
#include <curl/curl.h>
#include <fmt/format.h>
#include <memory>
#include <optional>

#include "api/operations.h"
#include "crypto/tls.h"

namespace vantro::client {
namespace {

struct FreeList {
  void operator()(curl_slist* list) const { curl_slist_free_all(list); }
};

// libcurl needs this once before threads and calls; the client has one thread.
struct CurlLibrary {
  CurlLibrary() { curl_global_init(CURL_GLOBAL_DEFAULT); }
  ~CurlLibrary() { curl_global_cleanup(); }
};

constexpr long kConnectSeconds = 10;
// The server speaks at least every 5 seconds, or is busy with what was asked.
constexpr long kSilentSeconds = 120;

}  // namespace

class ApiClient::Request {
 public:
  Request(const Access& access, const std::string& path) : access_(access) {
    static const CurlLibrary library;
    handle_.reset(curl_easy_init());
    set(CURLOPT_URL, (access.url + path).c_str());
    set(CURLOPT_NOSIGNAL, 1L);
    set(CURLOPT_NOPROXY, "*");
    set(CURLOPT_PROTOCOLS_STR, "http,https");
    set(CURLOPT_CONNECTTIMEOUT, kConnectSeconds);
    if (access.patience_ms > 0) {
      set(CURLOPT_TIMEOUT_MS, static_cast<long>(access.patience_ms));
    }
    set(CURLOPT_LOW_SPEED_LIMIT, 1L);
    set(CURLOPT_LOW_SPEED_TIME, kSilentSeconds);
    set(CURLOPT_ERRORBUFFER, error_text_.data());
    set(CURLOPT_WRITEFUNCTION, &Request::came);
    set(CURLOPT_WRITEDATA, this);
    if (!access.token.empty()) add_header("Authorization: Bearer " + access.token);
    if (!access.socket.empty()) {
      set(CURLOPT_UNIX_SOCKET_PATH, access.socket.c_str());
      // It is local: the socket's permissions say who may use it.
      set(CURLOPT_PROTOCOLS_STR, "http");
    }
    if (!access.fingerprint.empty()) pin({access.fingerprint, {}});
  }

  // The certificate counts by its fingerprint alone.
  void pin(crypto::CertificatePin pin) {
    pin_ = std::move(pin);
    set(CURLOPT_SSL_VERIFYHOST, 0L);
    set(CURLOPT_SSL_CTX_FUNCTION, &Request::context_made);
    set(CURLOPT_SSL_CTX_DATA, this);
  }
  const crypto::CertificatePin& pinned() const { return pin_; }

  template <class T>
  void set(CURLoption option, T value) {
    curl_easy_setopt(handle_.get(), option, value);
  }

  void add_header(const std::string& line) {
    headers_.reset(curl_slist_append(headers_.release(), line.c_str()));
  }

  // Where the body of a 200 goes; without it the body is kept.
  void to(std::function<bool(base::ByteView)> sink) { sink_ = std::move(sink); }

  void from(std::uint64_t size, const Source& source) {
    source_ = &source;
    set(CURLOPT_UPLOAD, 1L);
    set(CURLOPT_INFILESIZE_LARGE, static_cast<curl_off_t>(size));
    set(CURLOPT_READFUNCTION, &Request::wanted);
    set(CURLOPT_READDATA, this);
    set(CURLOPT_UPLOAD_BUFFERSIZE, 256L * 1024);
    // Always ask first: a refusal then costs no upload.
    add_header("Expect: 100-continue");
    set(CURLOPT_EXPECT_100_TIMEOUT_MS, 5000L);
  }

  void with_method(const char* method, const std::string& body) {
    set(CURLOPT_CUSTOMREQUEST, method);
    sent_ = body;
    if (sent_.empty()) return;
    set(CURLOPT_POSTFIELDSIZE_LARGE, static_cast<curl_off_t>(sent_.size()));
    set(CURLOPT_POSTFIELDS, sent_.c_str());
    add_header("Content-Type: application/json");
  }

  void every_moment(const std::function<bool()>& idle) {
    idle_ = &idle;
    set(CURLOPT_NOPROGRESS, 0L);
    set(CURLOPT_XFERINFOFUNCTION, &Request::moment);
    set(CURLOPT_XFERINFODATA, this);
  }

  // The body of a success.
  Result<std::string> perform() {
    set(CURLOPT_HTTPHEADER, headers_.get());
    const auto code = curl_easy_perform(handle_.get());
    if (local_failure_) return tl::unexpected(*local_failure_);
    // The server may refuse before the rest of an upload was sent.
    if (status() >= 400) return tl::unexpected(told());
    if (stopped_by_sink_) return std::string{};
    if (code == CURLE_WRITE_ERROR || code == CURLE_ABORTED_BY_CALLBACK)
      return std::string{};
    if (code != CURLE_OK) return tl::unexpected(unreached(code));
    return std::move(body_);
  }

 private:
  struct Close {
    void operator()(CURL* handle) const { curl_easy_cleanup(handle); }
  };

  long status() const {
    long value = 0;
    curl_easy_getinfo(handle_.get(), CURLINFO_RESPONSE_CODE, &value);
    return value;
  }

  static std::size_t came(char* data, std::size_t, std::size_t count, void* self) {
    auto& request = *static_cast<Request*>(self);
    if (!request.sink_ || request.status() != 200) {
      request.body_.append(data, count);
      return count;
    }
    if (request.sink_(base::as_bytes({data, count}))) return count;
    request.stopped_by_sink_ = true;
    return 0;
  }

  static CURLcode context_made(CURL*, void* context, void* self) {
    crypto::pin_certificate(context, static_cast<Request*>(self)->pin_);
    return CURLE_OK;
  }

  static std::size_t wanted(char* to, std::size_t size, std::size_t count, void* self) {
    auto& request = *static_cast<Request*>(self);
    const auto got = (*request.source_)(to, size * count);
    if (got) return *got;
    request.local_failure_ = got.error();
    return CURL_READFUNC_ABORT;
  }

  static int moment(void* self, curl_off_t, curl_off_t, curl_off_t, curl_off_t) {
    return (*static_cast<Request*>(self)->idle_)() ? 0 : 1;
  }

  Failure told() const {
    const auto read = api::read_answer<api::Problem>(body_);
    if (!read || read->detail.empty()) {
      return {ExitCode::kRefused,
              fmt::format(
                  "{} answered with HTTP status {}, unlike a vantrod; check the address",
                  access_.title(), status())};
    }
    const auto& problem = *read;
    auto sentence = problem.detail;
    if (!problem.nearest.empty()) sentence += "; nearest: '" + problem.nearest + "'";
    if (status() == 401) return {ExitCode::kToken, std::move(sentence), problem};
    // Refused bytes are 422: the command itself was right.
    const auto code = status() == 404                       ? ExitCode::kNotFound
                      : status() == 400                     ? ExitCode::kUsage
                      : problem.kind == "checksum-mismatch" ? ExitCode::kChecksum
                                                            : ExitCode::kRefused;
    return {code, std::move(sentence), problem};
  }

  Failure unreached(CURLcode code) const {
    const std::string why =
        error_text_[0] != '\0' ? error_text_.data() : curl_easy_strerror(code);
    if (!pin_.expected.empty() && !pin_.seen.empty() && pin_.seen != pin_.expected) {
      return {
          ExitCode::kToken,
          fmt::format(
              "the certificate of {0} has changed: now {1}, before {2}; nothing was "
              "sent. Either it was renewed, or somebody intercepts the connection. "
              "Compare it with 'vantro status' on the server itself, then: vantro login "
              "{0}",
              access_.url, pin_.seen, pin_.expected)};
    }
    if (code == CURLE_PEER_FAILED_VERIFICATION) {
      return {ExitCode::kToken,
              fmt::format("this machine does not trust the certificate of {0} ({1}); to "
                          "look at it and keep it: vantro login {0}",
                          access_.url, why)};
    }
    if (code == CURLE_COULDNT_CONNECT || code == CURLE_COULDNT_RESOLVE_HOST ||
        code == CURLE_URL_MALFORMAT || code == CURLE_UNSUPPORTED_PROTOCOL ||
        (code == CURLE_OPERATION_TIMEDOUT && status() == 0)) {
      return {ExitCode::kNoServer,
              fmt::format(
                  "no vantrod answers at {} ({}). Start it with 'vantrod --state DIR' "
                  "or 'systemctl start vantrod', or name another one with --url or "
                  "--server",
                  access_.title(), why)};
    }
    return {ExitCode::kNoServer, fmt::format("the connection to {} was interrupted ({})",
                                             access_.title(), why)};
  }

  const Access& access_;
  std::unique_ptr<CURL, Close> handle_;
  std::unique_ptr<curl_slist, FreeList> headers_;
  std::array<char, CURL_ERROR_SIZE> error_text_{};
  std::string body_;
  std::string sent_;
  crypto::CertificatePin pin_;
  std::function<bool(base::ByteView)> sink_;
  bool stopped_by_sink_ = false;
  const Source* source_ = nullptr;
  const std::function<bool()>* idle_ = nullptr;
  std::optional<Failure> local_failure_;
};

tl::unexpected<Failure> ApiClient::not_json() {
  return tl::unexpected(
      Failure{ExitCode::kRefused,
              "the answer is not JSON; check that the address is a vantrod's"});
}

tl::unexpected<Failure> ApiClient::not_utf8() {
  // Repaired silently, it would be another text.
  return tl::unexpected(Failure{
      ExitCode::kUsage, "the input is not UTF-8 text; save it in that encoding first"});
}

Result<std::string> ApiClient::send(const api::OperationInfo& operation,
                                    const std::string& target, const std::string& body,
                                    const Idle& idle) const {
  Request request(access_, target);
  if (std::string_view(operation.method) != "GET") {
    request.with_method(operation.method, body);
  }
  if (idle) request.every_moment(idle);
  return request.perform();
}

Result<std::string> ApiClient::put(const std::string& target, std::uint64_t size,
                                   const Source& source) const {
  Request request(access_, target);
  request.from(size, source);
  return request.perform();
}

Result<std::string> ApiClient::certificate() const {
  Access nobody;
  nobody.url = access_.url;
  Request request(nobody, api::kHealth.target());
  request.pin({});
  const auto body = request.perform();
  if (!request.pinned().seen.empty()) return request.pinned().seen;
  if (!body) return tl::unexpected(body.error());
  return tl::unexpected(
      Failure{ExitCode::kNoServer, access_.url + " has no certificate"});
}

Result<void> ApiClient::download(const std::string& target, const Sink& sink) const {
  Request request(access_, target);
  request.to(sink);
  const auto body = request.perform();
  if (!body) return tl::unexpected(body.error());
  return {};
}

Result<void> ApiClient::events(
    const std::function<bool(const std::string& name, const std::string& data)>& event,
    const std::function<bool()>& idle) const {
  Request request(access_, api::kEvents.target());
  std::string rest;
  std::string name;
  request.to([&](base::ByteView bytes) {
    rest += base::as_text(bytes);
    // The server writes each event's data in one line, and a blank line behind it.
    for (auto end = rest.find('\n'); end != std::string::npos; end = rest.find('\n')) {
      const auto line = rest.substr(0, end);
      rest.erase(0, end + 1);
      constexpr std::string_view kName = "event: ";
      constexpr std::string_view kData = "data: ";
      if (line.starts_with(kName)) name = line.substr(kName.size());
      if (line.starts_with(kData) && !event(name, line.substr(kData.size()))) {
        return false;
      }
    }
    return true;
  });
  request.every_moment(idle);
  const auto body = request.perform();
  if (!body) return tl::unexpected(body.error());
  return {};
}

}  // namespace vantro::client
