#include "uplink/link.h"

#include <array>
#include <curl/curl.h>
#include <fmt/format.h>

#include "api/problem.h"
#include "api/shapes.h"
#include "crypto/tls.h"

namespace vantro::uplink {
namespace {

using base::Kind;

constexpr long kConnectSeconds = 20;
// A thin link may be busy with something else for a while.
constexpr long kSilentSeconds = 60;
constexpr std::size_t kLongestAnswer = std::size_t{256} << 20;

struct FreeList {
  void operator()(curl_slist* list) const { ::curl_slist_free_all(list); }
};

}  // namespace

struct Link::Curl {
  CURL* handle = ::curl_easy_init();
  std::array<char, CURL_ERROR_SIZE> said{};
  std::string answer;
  crypto::CertificatePin pin;
  const std::atomic<bool>* stopping = nullptr;

  Curl() = default;
  Curl(const Curl&) = delete;
  Curl& operator=(const Curl&) = delete;
  ~Curl() { ::curl_easy_cleanup(handle); }

  template <class T>
  void set(CURLoption option, T value) {
    ::curl_easy_setopt(handle, option, value);
  }
  long status() const {
    long value = 0;
    ::curl_easy_getinfo(handle, CURLINFO_RESPONSE_CODE, &value);
    return value;
  }
  static std::size_t came(char* data, std::size_t, std::size_t count, void* self) {
    auto& text = static_cast<Curl*>(self)->answer;
    if (text.size() + count > kLongestAnswer) return 0;
    text.append(data, count);
    return count;
  }
  static int moment(void* self, curl_off_t, curl_off_t, curl_off_t, curl_off_t) {
    return *static_cast<Curl*>(self)->stopping ? 1 : 0;
  }
  static CURLcode context_made(CURL*, void* context, void* self) {
    crypto::pin_certificate(context, static_cast<Curl*>(self)->pin);
    return CURLE_OK;
  }
};

Link::Link(const Headquarters& headquarters, const std::atomic<bool>& stopping)
    : headquarters_(headquarters), stopping_(stopping), curl_(std::make_unique<Curl>()) {}

Link::~Link() = default;

Failure Link::not_json() {
  return {{Kind::kIo,
           "headquarters' answer is not JSON; check that mirror.of is the address of a "
           "vantrod"},
          false};
}

Result<std::string> Link::perform(const char* method, const std::string& target,
                                  const std::string& body, const char* type,
                                  std::uint64_t rate) {
  auto& curl = *curl_;
  // Keeps the connections.
  ::curl_easy_reset(curl.handle);
  curl.said[0] = '\0';
  curl.answer.clear();
  curl.stopping = &stopping_;
  curl.pin = {headquarters_.fingerprint, {}};
  curl.set(CURLOPT_URL, (headquarters_.url + target).c_str());
  curl.set(CURLOPT_NOSIGNAL, 1L);
  curl.set(CURLOPT_PROTOCOLS_STR, "https");
  curl.set(CURLOPT_CONNECTTIMEOUT, kConnectSeconds);
  curl.set(CURLOPT_LOW_SPEED_LIMIT, 1L);
  curl.set(CURLOPT_LOW_SPEED_TIME, kSilentSeconds);
  curl.set(CURLOPT_TCP_KEEPALIVE, 1L);
  curl.set(CURLOPT_ERRORBUFFER, curl.said.data());
  curl.set(CURLOPT_WRITEFUNCTION, &Curl::came);
  curl.set(CURLOPT_WRITEDATA, &curl);
  curl.set(CURLOPT_NOPROGRESS, 0L);
  curl.set(CURLOPT_XFERINFOFUNCTION, &Curl::moment);
  curl.set(CURLOPT_XFERINFODATA, &curl);
  if (rate > 0) curl.set(CURLOPT_MAX_RECV_SPEED_LARGE, static_cast<curl_off_t>(rate));
  if (!headquarters_.ca_file.empty()) {
    curl.set(CURLOPT_CAINFO, headquarters_.ca_file.c_str());
  }
  if (!headquarters_.fingerprint.empty()) {
    curl.set(CURLOPT_SSL_VERIFYHOST, 0L);
    curl.set(CURLOPT_SSL_CTX_FUNCTION, &Curl::context_made);
    curl.set(CURLOPT_SSL_CTX_DATA, &curl);
  }
  std::unique_ptr<curl_slist, FreeList> fields;
  const auto field = [&](const std::string& line) {
    fields.reset(::curl_slist_append(fields.release(), line.c_str()));
  };
  field("Authorization: Bearer " + headquarters_.token);
  curl.set(CURLOPT_CUSTOMREQUEST, method);
  if (std::string_view(method) != "GET") {
    // Also an empty body has a length, which the server asks for.
    curl.set(CURLOPT_POSTFIELDSIZE_LARGE, static_cast<curl_off_t>(body.size()));
    curl.set(CURLOPT_POSTFIELDS, body.c_str());
    field(fmt::format("Content-Type: {}", type));
    field("Expect:");
  }
  curl.set(CURLOPT_HTTPHEADER, fields.get());
  const auto code = ::curl_easy_perform(curl.handle);
  if (code != CURLE_OK) {
    const auto& pin = curl.pin;
    if (!pin.expected.empty() && !pin.seen.empty() && pin.seen != pin.expected) {
      return tl::unexpected(Failure{
          {Kind::kDenied, fmt::format("headquarters' certificate is another one: {}, and "
                                      "mirror.fingerprint is {}; nothing was sent",
                                      pin.seen, pin.expected)},
          true});
    }
    return tl::unexpected(
        Failure{{Kind::kIo, curl.said[0] == '\0' ? std::string(::curl_easy_strerror(code))
                                                 : std::string(curl.said.data())},
                true});
  }
  const auto status = curl.status();
  if (status >= 200 && status < 300) return std::move(curl.answer);
  const auto told = api::read_answer<api::Problem>(curl.answer);
  if (!told || told->detail.empty()) {
    return tl::unexpected(Failure{
        {Kind::kIo, fmt::format("headquarters answered with HTTP status {}", status)},
        status >= 500});
  }
  // Its token, or its disk: that concerns all of its calls.
  const bool all = status == 401 || status == 403 || status == 429 || status >= 500;
  return tl::unexpected(
      Failure{{status == 404 ? Kind::kNotFound : Kind::kDenied, told->detail}, all});
}

}  // namespace vantro::uplink
