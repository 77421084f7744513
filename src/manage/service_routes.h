// The calls that look after the server itself: reloading, draining, snapshots, notices,
// metrics.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void service_routes(Routes& routes);

// That no new transfers are taken, and until when, in a sentence; empty: they are.
std::string drain_sentence(const gate::Gate& gate);

}  // namespace vantro::manage
