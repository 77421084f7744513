// How notices of desk/notices are sent, by serve/notice.
#pragma once

#include "desk/notices.h"

namespace vantro::daemon {

// For desk::Notices.
base::Outcome<std::string> send_notice(const desk::NoticeReceiver& receiver,
                                       const desk::Notice& notice);

}  // namespace vantro::daemon
