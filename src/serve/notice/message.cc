#include "serve/notice/message.h"

#include <ctime>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <unistd.h>

#include "base/visible_name.h"

namespace vantro::serve::notice {
namespace {

constexpr std::size_t kLongest = 1000;
constexpr int kDaemon = 3;   // facility (RFC 5424, 6.2.1)
constexpr int kWarning = 4;  // severities
constexpr int kNotice = 5;

// In a parameter of structured data '"', '\' and ']' are escaped (RFC 5424, 6.3.3).
std::string parameter(const std::string& value) {
  std::string text;
  for (const char c : base::printable(value, kLongest)) {
    if (c == '"' || c == '\\' || c == ']') text += '\\';
    text += c;
  }
  return text;
}

// "Sun, 29 Nov 2026 06:41:12 +0000" (RFC 5322, 3.3)
std::string mail_time(base::WallTime at) {
  static constexpr const char* kDays[] = {"Sun", "Mon", "Tue", "Wed",
                                          "Thu", "Fri", "Sat"};
  static constexpr const char* kMonths[] = {"Jan", "Feb", "Mar", "Apr", "May", "Jun",
                                            "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"};
  const std::time_t seconds = at / 1000;
  std::tm parts{};
  ::gmtime_r(&seconds, &parts);
  return fmt::format("{}, {:02} {} {} {:02}:{:02}:{:02} +0000", kDays[parts.tm_wday],
                     parts.tm_mday, kMonths[parts.tm_mon], parts.tm_year + 1900,
                     parts.tm_hour, parts.tm_min, parts.tm_sec);
}

}  // namespace

std::string one_line(const Message& message) {
  return fmt::format("{}{}{}: {}", message.event,
                     message.subject.empty() ? "" : " (" + message.subject + ")",
                     message.over ? " is over" : "", message.sentence);
}

std::string cloud_event(const Message& message) {
  nlohmann::ordered_json event;
  event["specversion"] = "1.0";
  event["id"] = message.uid;
  event["source"] = "/vantro/" + message.host;
  event["type"] =
      fmt::format("vantro.{}.{}", message.event, message.over ? "over" : "begun");
  if (!message.subject.empty()) {
    event["subject"] = base::printable(message.subject, kLongest);
  }
  event["time"] = base::iso_time(message.at);
  event["datacontenttype"] = "application/json";
  event["data"] = {{"event", message.event},
                   {"over", message.over},
                   {"sentence", base::printable(message.sentence, kLongest)}};
  return event.dump();
}

std::string syslog_line(const Message& message) {
  return fmt::format(
      "<{}>1 {} {} vantrod {} {} [vantro@32473 event=\"{}\" subject=\"{}\" over=\"{}\"] "
      "{}",
      kDaemon * 8 + (message.over ? kNotice : kWarning), base::iso_time(message.at),
      message.host.empty() ? "-" : message.host, ::getpid(), message.event,
      parameter(message.event), parameter(message.subject), message.over ? "yes" : "no",
      base::printable(one_line(message), kLongest));
}

std::string mail(const Message& message, const std::string& from, const std::string& to) {
  const auto what =
      base::printable(fmt::format("{}{}{}", message.event,
                                  message.subject.empty() ? "" : " " + message.subject,
                                  message.over ? " is over" : ""),
                      100);
  return fmt::format(
      "Date: {}\r\nFrom: {}\r\nTo: {}\r\nSubject: vantro on {}: {}\r\nMessage-ID: "
      "<{}@{}>\r\nAuto-Submitted: auto-generated\r\nMIME-Version: 1.0\r\nContent-Type: "
      "text/plain; charset=utf-8\r\n\r\n{}.\r\n\r\nServer: {}\r\nTime: {}\r\n",
      mail_time(message.at), from, to, message.host, what, message.uid, message.host,
      base::printable(one_line(message), kLongest), message.host,
      base::iso_time(message.at));
}

}  // namespace vantro::serve::notice
