// Receivers of notices, as the settings have it; and what there is to be told of.
#pragma once

#include <array>
#include <string>
#include <string_view>
#include <vector>

namespace vantro::desk {

// What there is to be told of. The words are for settings and receivers, and stay.
inline constexpr std::array<std::string_view, 15> kNoticeEvents{
    "transfer-failed",      "transfer-stalled", "wrong-platform", "backup-overdue",
    "backup-shrunken",      "backup-missing",   "damage-found",   "image-contradicted",
    "many-refusals",        "disk-low",         "ledger-behind",  "database-failing",
    "certificate-expiring", "rescue-opened",    "job-failed"};

enum class NoticeWay { kWebhook, kSyslog, kMail };
// "webhook", "syslog", "mail"
const char* word(NoticeWay way);

struct NoticeReceiver {
  std::string name;  // of its own: what waits for it is kept under this name
  NoticeWay way = NoticeWay::kWebhook;
  // An https: address; "udp://", "tcp://" or "tls://" with host and port; a mail address.
  std::string to;
  std::string server;  // of mail: "smtp://" or "smtps://" with host and port
  std::string from;    // of mail: the sender's address
  std::string user;    // of mail: to log in with; empty: without
  // Of a webhook: the key that bodies are signed with. Of mail: the password.
  std::string secret;
  std::string secret_file;          // that it is from
  std::string ca_file;              // certificates that are trusted; empty: the system's
  std::vector<std::string> events;  // empty: all of them
};

// Whether it gets the event.
bool gets(const NoticeReceiver& receiver, std::string_view event);

}  // namespace vantro::desk
