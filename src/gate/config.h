// The gate's settings.
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

// When a device of the inventory asks for an image for other hardware.
enum class OtherPlatform { kWarn, kRefuse };

struct Config {
  // The largest backup that a device may send, in bytes.
  std::uint64_t largest_deposit = std::uint64_t{16} << 30;
  // What one address may send in 24 hours, in bytes.
  std::uint64_t deposited_per_day = std::uint64_t{64} << 30;
  // How many files one address may send in 24 hours.
  std::uint64_t deposits_per_day = 5000;
  // How many ledger rows one address may cause in 24 hours; the rest is combined into
  // one.
  std::uint64_t rows_per_day = 50'000;
  // While the database is away, backups are kept on this node's disk and filed later.
  bool keep_while_away = false;
  // Nothing is handed out or received while the ledger cannot be written.
  bool only_recorded = false;
  // The usual quota for the backups of one device, in bytes; 0: no limit.
  std::uint64_t kept_per_device = 0;
  // Of the disk, in bytes: with less free space, only configurations are received.
  std::uint64_t reserve = 0;
  AdmissionLimits admission;
  std::vector<auth::Rule> rules = auth::default_rules();
  // Where images may be pushed to.
  auth::Networks push_to = *auth::Networks::parse("private loopback");
  // Contents that were not verified for so long are verified before they are handed out;
  // zero: never.
  std::chrono::hours unverified_for{0};
  std::vector<text::Recogniser> recognisers;
  // The patterns of devices' listings.
  text::ReportReader reports;
  OtherPlatform other_platform = OtherPlatform::kRefuse;
  // How long a fetch of the canary proves a path.
  std::chrono::minutes path_proven_for{120};
  // The program for the look inside; empty: no looks.
  probe::Apart look;
};

}  // namespace vantro::gate
