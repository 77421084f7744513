#include "serve/notice/send.h"

#include <array>
#include <cerrno>
#include <cstring>
#include <curl/curl.h>
#include <fmt/format.h>
#include <memory>
#include <netdb.h>
#include <poll.h>
#include <sys/socket.h>

#include "base/bytes.h"
#include "base/unique_fd.h"
#include "base/visible_name.h"
#include "crypto/digests.h"

namespace vantro::serve::notice {
namespace {

using base::Kind;

constexpr long kConnectFor = 10;  // seconds
constexpr long kAllFor = 30;
constexpr std::size_t kLongestAnswer = 200;

struct Free {
  void operator()(CURL* one) const { ::curl_easy_cleanup(one); }
  void operator()(curl_slist* one) const { ::curl_slist_free_all(one); }
};
using Curl = std::unique_ptr<CURL, Free>;
using List = std::unique_ptr<curl_slist, Free>;

std::size_t keep_answer(const char* from, std::size_t size, std::size_t count, void* to) {
  auto& text = *static_cast<std::string*>(to);
  const auto room = kLongestAnswer - std::min(kLongestAnswer, text.size());
  text.append(from, std::min(size * count, room));
  return size * count;
}

struct Call {
  Curl curl{::curl_easy_init()};
  std::array<char, CURL_ERROR_SIZE> said{};
  std::string answer;

  Call(const std::string& url, const std::string& ca_file) {
    set(CURLOPT_URL, url.c_str());
    set(CURLOPT_PROXY, "");
    set(CURLOPT_NOSIGNAL, 1L);
    set(CURLOPT_ERRORBUFFER, said.data());
    set(CURLOPT_CONNECTTIMEOUT, kConnectFor);
    set(CURLOPT_TIMEOUT, kAllFor);
    set(CURLOPT_WRITEFUNCTION, keep_answer);
    set(CURLOPT_WRITEDATA, &answer);
    if (!ca_file.empty()) set(CURLOPT_CAINFO, ca_file.c_str());
  }
  template <class Value>
  void set(CURLoption option, Value value) {
    ::curl_easy_setopt(curl.get(), option, value);
  }
  base::Outcome<void> perform() {
    const auto code = ::curl_easy_perform(curl.get());
    if (code == CURLE_OK) return {};
    return base::refuse(Kind::kIo, said.front() == '\0' ? ::curl_easy_strerror(code)
                                                        : std::string(said.data()));
  }
};

std::string shown(const std::string& answer) {
  return base::printable(answer, kLongestAnswer);
}

// Host and port behind "udp://".
struct Where {
  std::string host, port;
};
base::Outcome<Where> parse_where(const std::string& text, const char* usual_port) {
  auto rest = text.substr(text.find("://") + 3);
  std::string port = usual_port;
  const auto bracket = rest.rfind(']');
  const auto colon = rest.rfind(':');
  if (colon != std::string::npos && (bracket == std::string::npos || colon > bracket)) {
    port = rest.substr(colon + 1);
    rest.resize(colon);
  }
  if (rest.starts_with('[') && rest.ends_with(']'))
    rest = rest.substr(1, rest.size() - 2);
  if (rest.empty() || port.empty() ||
      port.find_first_not_of("0123456789") != std::string::npos) {
    return base::refuse(Kind::kInvalid, fmt::format("'{}' has no host and port", text));
  }
  return Where{rest, port};
}

base::Outcome<std::string> over_udp(const Where& where, const std::string& line) {
  addrinfo wanted{};
  wanted.ai_socktype = SOCK_DGRAM;
  addrinfo* found = nullptr;
  if (const int code =
          ::getaddrinfo(where.host.c_str(), where.port.c_str(), &wanted, &found);
      code != 0) {
    return base::refuse(Kind::kIo,
                        fmt::format("{}: {}", where.host, ::gai_strerror(code)));
  }
  const std::unique_ptr<addrinfo, decltype(&::freeaddrinfo)> held(found, &::freeaddrinfo);
  const base::UniqueFd socket(::socket(found->ai_family, SOCK_DGRAM | SOCK_CLOEXEC, 0));
  if (!socket || ::sendto(socket.get(), line.data(), line.size(), 0, found->ai_addr,
                          found->ai_addrlen) < 0) {
    return base::refuse(base::system_refusal(errno, where.host));
  }
  return std::string("sent; UDP does not confirm the arrival");
}

// A connection that libcurl makes, with TLS or without, and on which only we write.
base::Outcome<std::string> over_stream(const Where& where, bool tls,
                                       const std::string& line,
                                       const std::string& ca_file) {
  const bool v6 = where.host.find(':') != std::string::npos;
  Call call(fmt::format("{}://{}{}{}:{}", tls ? "https" : "http", v6 ? "[" : "",
                        where.host, v6 ? "]" : "", where.port),
            ca_file);
  call.set(CURLOPT_CONNECT_ONLY, 1L);
  if (auto connected = call.perform(); !connected) {
    return base::refuse(connected.error());
  }
  curl_socket_t socket = CURL_SOCKET_BAD;
  ::curl_easy_getinfo(call.curl.get(), CURLINFO_ACTIVESOCKET, &socket);
  // Octet counting (RFC 6587, 3.4.1; RFC 5425, 4.3).
  const auto frame = fmt::format("{} {}", line.size(), line);
  for (std::size_t sent = 0; sent < frame.size();) {
    std::size_t count = 0;
    const auto code = ::curl_easy_send(call.curl.get(), frame.data() + sent,
                                       frame.size() - sent, &count);
    if (code == CURLE_AGAIN) {
      pollfd ready{socket, POLLOUT, 0};
      if (::poll(&ready, 1, static_cast<int>(kConnectFor) * 1000) <= 0) {
        return base::refuse(Kind::kIo, "the receiver accepts no bytes");
      }
    } else if (code != CURLE_OK) {
      return base::refuse(Kind::kIo, ::curl_easy_strerror(code));
    }
    sent += count;
  }
  return std::string("sent");
}

struct Text {
  std::string_view rest;
};

std::size_t give_text(char* to, std::size_t size, std::size_t count, void* from) {
  auto& rest = static_cast<Text*>(from)->rest;
  const auto given = std::min(size * count, rest.size());
  std::memcpy(to, rest.data(), given);
  rest.remove_prefix(given);
  return given;
}

}  // namespace

base::Outcome<std::string> to_webhook(const Message& message, const std::string& url,
                                      const std::string& key,
                                      const std::string& ca_file) {
  const auto body = cloud_event(message);
  Call call(url, ca_file);
  List fields(::curl_slist_append(nullptr, "Content-Type: application/cloudevents+json"));
  const auto add = [&](const std::string& field) {
    fields.reset(::curl_slist_append(fields.release(), field.c_str()));
  };
  add("User-Agent: vantrod");
  // Not "100-continue": some receivers do not know it.
  add("Expect:");
  if (!key.empty()) add("Vantro-HMAC: " + crypto::hmac_sha256(key, base::as_bytes(body)));
  call.set(CURLOPT_PROTOCOLS_STR, "http,https");
  call.set(CURLOPT_HTTPHEADER, fields.get());
  call.set(CURLOPT_POSTFIELDS, body.c_str());
  call.set(CURLOPT_POSTFIELDSIZE_LARGE, static_cast<curl_off_t>(body.size()));
  if (auto done = call.perform(); !done) return base::refuse(done.error());
  long status = 0;
  ::curl_easy_getinfo(call.curl.get(), CURLINFO_RESPONSE_CODE, &status);
  if (status >= 200 && status < 300) return fmt::format("taken, status {}", status);
  return base::refuse(Kind::kIo, fmt::format("the receiver answers with status {}: {}",
                                             status, shown(call.answer)));
}

base::Outcome<std::string> to_syslog(const Message& message, const std::string& where,
                                     const std::string& ca_file) {
  const bool udp = where.starts_with("udp://");
  const bool tls = where.starts_with("tls://");
  const auto to = parse_where(where, tls ? "6514" : "514");
  if (!to) return base::refuse(to.error());
  const auto line = syslog_line(message);
  return udp ? over_udp(*to, line) : over_stream(*to, tls, line, ca_file);
}

base::Outcome<std::string> to_mail(const Message& message, const MailWay& way) {
  const auto text = mail(message, way.from, way.to);
  Text body{text};
  Call call(way.server, way.ca_file);
  const List to(::curl_slist_append(nullptr, ("<" + way.to + ">").c_str()));
  const auto from = "<" + way.from + ">";
  call.set(CURLOPT_PROTOCOLS_STR, "smtp,smtps");
  call.set(CURLOPT_USE_SSL,
           static_cast<long>(way.password.empty() ? CURLUSESSL_TRY : CURLUSESSL_ALL));
  call.set(CURLOPT_MAIL_FROM, from.c_str());
  call.set(CURLOPT_MAIL_RCPT, to.get());
  if (!way.user.empty()) {
    call.set(CURLOPT_USERNAME, way.user.c_str());
    call.set(CURLOPT_PASSWORD, way.password.c_str());
  }
  call.set(CURLOPT_READFUNCTION, give_text);
  call.set(CURLOPT_READDATA, &body);
  call.set(CURLOPT_UPLOAD, 1L);
  if (auto done = call.perform(); !done) return base::refuse(done.error());
  return std::string("the mail server accepted it");
}

}  // namespace vantro::serve::notice
