#include "net/http/answer.h"

#include <fmt/format.h>

#include "base/http_date.h"

namespace vantro::net::http {

void Answer::give(std::string type, std::string text) {
  set("Content-Type", std::move(type));
  length = text.size();
  body.push_back({std::move(text), 0, 0});
}

std::string head_text(const Answer& answer, bool http_1_0, bool keep_alive,
                      base::WallTime now) {
  auto text = fmt::format("HTTP/1.1 {} {}\r\nDate: {}\r\nServer: vantrod\r\n",
                          answer.status, reason_of(answer.status), base::http_date(now));
  for (const auto& [name, value] : answer.fields) {
    text += fmt::format("{}: {}\r\n", name, value);
  }
  text += "X-Content-Type-Options: nosniff\r\n";
  // 204 has no length (RFC 9110, 8.6); an endless body ends with the connection.
  if (answer.more) {
    // For an old client, the body ends with the connection.
    if (!http_1_0) text += "Transfer-Encoding: chunked\r\n";
  } else if (answer.status != 204 && !answer.endless) {
    text += fmt::format("Content-Length: {}\r\n", answer.length);
  }
  if (!keep_alive) {
    text += "Connection: close\r\n";
  } else if (http_1_0) {
    text += "Connection: keep-alive\r\n";
  }
  return text + "\r\n";
}

}  // namespace vantro::net::http
