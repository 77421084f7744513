// The settings for who is told about which events.
#pragma once

#include <toml++/toml.h>
#include <vector>

#include "base/outcome.h"
#include "desk/notice_receiver.h"

namespace vantro::daemon {

// [[notice]], any number of them, each with a name of its own.
base::Outcome<void> apply_notices(std::vector<desk::NoticeReceiver>& receivers,
                                  const toml::node& node);

}  // namespace vantro::daemon
