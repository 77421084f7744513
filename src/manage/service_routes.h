// The calls about the server itself: reload, drain, snapshots, notices, metrics.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void service_routes(Routes& routes);

// That new transfers are refused, and until when, in a sentence; empty: they are not.
std::string drain_sentence(const gate::Gate& gate);

}  // namespace vantro::manage
