// What the server counts and measures, for those who collect it
// (https://prometheus.io/docs/instrumenting/exposition_formats/, text, version 0.0.4).
// Every set of labels is bounded by the program or by the settings, never by what devices
// send or how many there are.
#pragma once

#include <string>

#include "manage/service.h"

namespace vantro::manage {

inline constexpr const char* kMetricsType = "text/plain; version=0.0.4; charset=utf-8";

// May wait for the database; what costs more than a look is a minute old at most.
std::string metrics(Service& service);

}  // namespace vantro::manage
