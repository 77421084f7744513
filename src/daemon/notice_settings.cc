#include "daemon/notice_settings.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <string>

#include "base/visible_name.h"
#include "base/whole_file.h"
#include "daemon/setting_fields.h"
#include "daemon/toml_values.h"
#include "text/nearest.h"

namespace vantro::daemon {
namespace {

using desk::NoticeReceiver;
using desk::NoticeWay;

constexpr std::size_t kLongestSecret = 4096;

// The first line only: editors add an end of line.
base::Outcome<std::string> secret_in(const std::string& file) {
  auto text = base::read_whole_file(file, kLongestSecret);
  if (!text) return base::refuse(text.error());
  auto secret = text->substr(0, text->find_first_of("\r\n"));
  if (secret.empty()) return no_value(fmt::format("{}: its first line is empty", file));
  return secret;
}

base::Outcome<void> check_events(const std::vector<std::string>& events) {
  const std::vector<std::string> known(desk::kNoticeEvents.begin(),
                                       desk::kNoticeEvents.end());
  for (const auto& one : events) {
    if (std::find(known.begin(), known.end(), one) != known.end()) continue;
    return no_value(fmt::format("events: unknown event '{}'; there are {}",
                                base::printable(one, 40), fmt::join(known, ", ")));
  }
  return {};
}

bool begins(const std::string& text, std::initializer_list<const char*> with) {
  return std::any_of(with.begin(), with.end(), [&](const char* one) {
    return text.starts_with(one) && text.size() > std::string_view(one).size();
  });
}

base::Outcome<void> check(const NoticeReceiver& one) {
  if (one.name.empty()) return no_value("a receiver needs a name");
  switch (one.way) {
    case NoticeWay::kWebhook:
      if (!begins(one.to, {"https://"}) &&
          !begins(one.to, {"http://127.0.0.1", "http://[::1]", "http://localhost"})) {
        return no_value(
            "to: a webhook needs an address that begins with https:// "
            "(http:// on this machine only)");
      }
      return {};
    case NoticeWay::kSyslog:
      if (!begins(one.to, {"udp://", "tcp://", "tls://"})) {
        return no_value(
            "to: syslog needs an address such as \"udp://192.0.2.20:514\", "
            "\"tcp://...\" or \"tls://192.0.2.20:6514\"");
      }
      return {};
    case NoticeWay::kMail:
      if (one.to.find('@') == std::string::npos) {
        return no_value("to: mail needs an address such as \"night@example.net\"");
      }
      if (one.from.find('@') == std::string::npos) {
        return no_value("from: mail needs the sender's address");
      }
      if (!begins(one.server, {"smtp://", "smtps://"})) {
        return no_value(
            "server: mail needs a server such as "
            "\"smtp://mail.example.net:587\"");
      }
      return {};
  }
  return {};
}

base::Outcome<NoticeReceiver> receiver_of(const toml::table& table) {
  NoticeReceiver receiver;
  std::map<std::string, std::string*> texts{
      {"name", &receiver.name},      {"to", &receiver.to},
      {"server", &receiver.server},  {"from", &receiver.from},
      {"user", &receiver.user},      {"secret_file", &receiver.secret_file},
      {"ca_file", &receiver.ca_file}};
  bool way_given = false;
  for (const auto& [key, node] : table) {
    const auto name = std::string(key.str());
    if (name == "events") {
      auto events = list_of_texts(node, "[\"disk-low\", \"backup-overdue\"]");
      if (!events) return no_value("events: " + events.error().sentence);
      if (auto known = check_events(*events); !known) return base::refuse(known.error());
      receiver.events = std::move(*events);
      continue;
    }
    auto text = text_of(node);
    if (!text) return no_value(name + ": " + text.error().sentence);
    if (name == "way") {
      way_given = true;
      if (*text == "webhook") {
        receiver.way = NoticeWay::kWebhook;
      } else if (*text == "syslog") {
        receiver.way = NoticeWay::kSyslog;
      } else if (*text == "mail") {
        receiver.way = NoticeWay::kMail;
      } else {
        return no_value("way: must be one of \"webhook\", \"syslog\", \"mail\"");
      }
    } else if (const auto found = texts.find(name); found != texts.end()) {
      *found->second = std::move(*text);
    } else {
      return no_value(fmt::format(
          "unknown key '{}' of a notice; known: name, way, to, events, secret_file, "
          "ca_file, and for mail server, from, user",
          base::printable(name, 40)));
    }
  }
  if (!way_given) return no_value("a receiver needs a way: webhook, syslog or mail");
  if (auto sound = check(receiver); !sound) return base::refuse(sound.error());
  if (!receiver.secret_file.empty()) {
    auto secret = secret_in(receiver.secret_file);
    if (!secret) return no_value("secret_file: " + secret.error().sentence);
    receiver.secret = std::move(*secret);
  }
  return receiver;
}

}  // namespace

base::Outcome<void> apply_notices(std::vector<NoticeReceiver>& receivers,
                                  const toml::node& node) {
  receivers.clear();
  return each_table(
      node, "[[notice]]", [&](const toml::table& table) -> base::Outcome<void> {
        auto receiver = receiver_of(table);
        if (!receiver) return base::refuse(receiver.error());
        const bool twice =
            std::any_of(receivers.begin(), receivers.end(),
                        [&](const auto& one) { return one.name == receiver->name; });
        if (twice) {
          return no_value(fmt::format("duplicate receiver '{}'",
                                      base::printable(receiver->name, 40)));
        }
        receivers.push_back(std::move(*receiver));
        return {};
      });
}

}  // namespace vantro::daemon
