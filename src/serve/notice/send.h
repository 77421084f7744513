// Handing a notice over to its receiver, by libcurl. Each waits for the receiver, some
// seconds at most; what it said is given back for people, or why it did not take it.
#pragma once

#include <string>

#include "base/outcome.h"
#include "serve/notice/message.h"

namespace vantro::serve::notice {

// POST of a CloudEvent; any answer of 200 to 299 is a yes. With `key` the body is signed:
// "Vantro-HMAC: HEX" is its HMAC-SHA-256. `ca_file`: certificates that are trusted;
// empty: the system's.
base::Outcome<std::string> to_webhook(const Message& message, const std::string& url,
                                      const std::string& key, const std::string& ca_file);

// "udp://HOST:PORT" (RFC 5426), "tcp://" (RFC 6587, counted), "tls://" (RFC 5425). Over
// UDP nobody says whether it came.
base::Outcome<std::string> to_syslog(const Message& message, const std::string& where,
                                     const std::string& ca_file);

struct MailWay {
  std::string server;  // "smtp://HOST:PORT", with STARTTLS if it is there; or "smtps://"
  std::string from, to;
  std::string user, password;  // empty: without
  std::string ca_file;
};
base::Outcome<std::string> to_mail(const Message& message, const MailWay& way);

}  // namespace vantro::serve::notice
