// Sends a notice to its receiver, by libcurl. Each call waits for the receiver, some
// seconds at most; returns the receiver's words for people, or why it failed.
#pragma once

#include <string>

#include "base/outcome.h"
#include "serve/notice/message.h"

namespace vantro::serve::notice {

// POST of a CloudEvent; any status of 200 to 299 is a success. With `key` the body is
// signed: "Vantro-HMAC: HEX" is its HMAC-SHA-256. `ca_file`: trusted certificates; empty:
// the system's.
base::Outcome<std::string> to_webhook(const Message& message, const std::string& url,
                                      const std::string& key, const std::string& ca_file);

// "udp://HOST:PORT" (RFC 5426), "tcp://" (RFC 6587, counted), "tls://" (RFC 5425). Over
// UDP nobody confirms it.
base::Outcome<std::string> to_syslog(const Message& message, const std::string& where,
                                     const std::string& ca_file);

struct MailWay {
  std::string server;  // "smtp://HOST:PORT", with STARTTLS if available; or "smtps://"
  std::string from, to;
  std::string user, password;  // empty: without log-in
  std::string ca_file;
};
base::Outcome<std::string> to_mail(const Message& message, const MailWay& way);

}  // namespace vantro::serve::notice
