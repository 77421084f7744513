// The server's counters and measurements, for collectors
// (https://prometheus.io/docs/instrumenting/exposition_formats/, text, version 0.0.4).
// Every set of labels is bounded by the program or by the settings, never by what devices
// send or how many there are.
#pragma once

#include <string>

#include "manage/service.h"

namespace vantro::manage {

inline constexpr const char* kMetricsType = "text/plain; version=0.0.4; charset=utf-8";

// May wait for the database; expensive values are up to a minute old.
std::string metrics(Service& service);

}  // namespace vantro::manage
