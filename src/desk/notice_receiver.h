// Receivers of notices, from the settings; and the events.
#pragma once

#include <array>
#include <string>
#include <string_view>
#include <vector>

namespace vantro::desk {

// All events. The words are used in settings and by receivers, and never change.
inline constexpr std::array<std::string_view, 17> kNoticeEvents{
    "transfer-failed",      "transfer-stalled", "wrong-platform", "backup-overdue",
    "backup-shrunken",      "backup-missing",   "damage-found",   "image-contradicted",
    "many-refusals",        "disk-low",         "ledger-behind",  "database-failing",
    "certificate-expiring", "rescue-opened",    "job-failed",     "node-gone",
    "mirror-silent"};

enum class NoticeWay { kWebhook, kSyslog, kMail };
// "webhook", "syslog", "mail"
const char* word(NoticeWay way);

struct NoticeReceiver {
  std::string name;  // unique: its queue has this name
  NoticeWay way = NoticeWay::kWebhook;
  // An https: address; "udp://", "tcp://" or "tls://" with host and port; a mail address.
  std::string to;
  std::string server;  // of mail: "smtp://" or "smtps://" with host and port
  std::string from;    // of mail: the sender's address
  std::string user;    // of mail: the account; empty: without log-in
  // Of a webhook: the key that signs bodies. Of mail: the password.
  std::string secret;
  std::string secret_file;          // the file of it
  std::string ca_file;              // trusted certificates; empty: the system's
  std::vector<std::string> events;  // empty: all of them
};

// Whether it gets the event.
bool gets(const NoticeReceiver& receiver, std::string_view event);

}  // namespace vantro::desk
