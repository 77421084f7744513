#include "desk/notice_receiver.h"

#include <algorithm>

namespace vantro::desk {

const char* word(NoticeWay way) {
  switch (way) {
    case NoticeWay::kWebhook:
      return "webhook";
    case NoticeWay::kSyslog:
      return "syslog";
    case NoticeWay::kMail:
      return "mail";
  }
  return "webhook";
}

bool gets(const NoticeReceiver& receiver, std::string_view event) {
  return receiver.events.empty() ||
         std::find(receiver.events.begin(), receiver.events.end(), event) !=
             receiver.events.end();
}

}  // namespace vantro::desk
