// What the gate goes by, from the settings.
#pragma once

#include <chrono>
#include <cstdint>
#include <vector>

#include "auth/rules.h"
#include "gate/admission.h"
#include "probe/apart.h"
#include "text/recogniser.h"
#include "text/report_reader.h"

namespace vantro::gate {

// What happens when a device of the inventory asks for an image for other hardware.
enum class OtherPlatform { kWarn, kRefuse };

struct Config {
  // The largest backup that a device may send, in bytes.
  std::uint64_t largest_deposit = std::uint64_t{16} << 30;
  // What one address may send in 24 hours, in bytes.
  std::uint64_t deposited_per_day = std::uint64_t{64} << 30;
  // How many files one address may send in 24 hours.
  std::uint64_t deposits_per_day = 5000;
  // How many rows of the ledger one address may fill in 24 hours; what comes on top is
  // gathered into one.
  std::uint64_t rows_per_day = 50'000;
  // Nothing is handed out or taken while the ledger can't be written.
  bool only_recorded = false;
  // Most bytes of backups kept of one device, in bytes, if nothing else is said of it; 0:
  // no limit.
  std::uint64_t kept_per_device = 0;
  // Of the disk, in bytes: when less is free, only configurations are taken.
  std::uint64_t reserve = 0;
  AdmissionLimits admission;
  std::vector<auth::Rule> rules = auth::default_rules();
  // Where images may be pushed to.
  auth::Networks push_to = *auth::Networks::parse("private loopback");
  // Bytes that were not compared with their checksum for so long are, before they are
  // handed out; zero: never.
  std::chrono::hours unverified_for{0};
  std::vector<text::Recogniser> recognisers;
  // What devices' listings say.
  text::ReportReader reports;
  OtherPlatform other_platform = OtherPlatform::kRefuse;
  // How long a fetch of the canary proves a path.
  std::chrono::minutes path_proven_for{120};
  // How to look inside; no program: nothing is looked into.
  probe::Apart look;
};

}  // namespace vantro::gate
