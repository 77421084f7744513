#include "daemon/notice_way.h"

#include <array>
#include <unistd.h>

#include "serve/notice/send.h"

namespace vantro::daemon {
namespace {

std::string host_name() {
  std::array<char, 256> name{};
  if (::gethostname(name.data(), name.size() - 1) != 0) return "";
  return name.data();
}

}  // namespace

base::Outcome<std::string> send_notice(const desk::NoticeReceiver& receiver,
                                       const desk::Notice& notice) {
  const serve::notice::Message message{notice.uid,  notice.event, notice.subject,
                                       notice.over, notice.at,    notice.sentence,
                                       host_name()};
  switch (receiver.way) {
    case desk::NoticeWay::kWebhook:
      return serve::notice::to_webhook(message, receiver.to, receiver.secret,
                                       receiver.ca_file);
    case desk::NoticeWay::kSyslog:
      return serve::notice::to_syslog(message, receiver.to, receiver.ca_file);
    case desk::NoticeWay::kMail:
      return serve::notice::to_mail(
          message, {receiver.server, receiver.from, receiver.to, receiver.user,
                    receiver.secret, receiver.ca_file});
  }
  return base::refuse(base::Kind::kInvalid, "unknown way");
}

}  // namespace vantro::daemon
