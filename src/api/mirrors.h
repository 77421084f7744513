// The shapes of mirrors (see shapes.h): what a mirror and headquarters tell each other,
// and what people see of both.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "api/shape.h"

namespace vantro::api {

// Which images a mirror wants.
struct MirrorWants {
  std::vector<std::string> platforms;
  std::vector<std::string> lines;
  std::vector<std::string> offers;
  std::vector<std::string> kits;
  bool jobs = false;
  std::vector<std::string> sites;
};

struct MirrorReport {
  std::string tag;
  MirrorWants wants;
  std::string version;
  std::uint64_t held = 0;
  std::uint64_t lacking = 0;
  std::uint64_t missing = 0;
  double rate = 0;
  std::uint64_t rows_waiting = 0;
  std::string trouble;
};

struct MirrorKey {
  std::string table;
  std::string row;
};

struct MirrorRecord {
  std::string table;
  std::string row;
  std::map<std::string, std::string> columns;
  std::vector<std::string> needs;
};

struct MirrorNews {
  std::string tag;
  std::string base;
  std::int64_t sequence = 0;
  std::string at;
  bool sync = false;
  std::vector<MirrorKey> gone;
  std::vector<MirrorRecord> fresh;
};

struct ContentNamed {
  std::string sha256;
};
struct ContentPart {
  std::string sha256;
  std::uint64_t from = 0;
  std::optional<std::uint64_t> bytes;
};

// A row of a mirror's ledger, as LedgerEntry. Answers and what callers give have shapes
// of their own: of the latter any field may be missing.
struct MirrorRow {
  std::int64_t id = 0;
  std::string at;
  std::string event;
  std::string actor;
  std::string from;
  std::string device;
  std::string protocol;
  std::string heard_on;
  std::string account;
  std::string name;
  std::string sha256;
  std::uint64_t bytes = 0;
  std::optional<std::uint64_t> total;
  std::int64_t duration_ms = 0;
  std::uint64_t resent = 0;
  std::string outcome;
  std::string sentence;
  std::string request;
};
struct MirrorRows {
  std::vector<MirrorRow> rows;  // in their order
};
struct MirrorRowsTaken {
  std::int64_t upto = 0;
  std::string wants;
  std::uint64_t have = 0;
};
struct MirrorPiece {
  std::string sha256;
  std::uint64_t size = 0;
  std::uint64_t from = 0;
};
struct MirrorPieceTaken {
  std::uint64_t have = 0;
};

// A mirror as headquarters knows it.
struct Mirror {
  std::string name;
  std::string state;
  std::string from;
  std::string wants;
  std::string version;
  std::string first_at;
  std::string seen_at;
  std::optional<std::string> current_at;
  std::uint64_t held = 0;
  std::uint64_t lacking = 0;
  std::uint64_t missing = 0;
  double rate = 0;
  std::uint64_t rows_waiting = 0;
  std::uint64_t served = 0;
  std::uint64_t served_bytes = 0;
  std::string trouble;
  bool sync = false;
};

struct MirrorList {
  std::vector<Mirror> mirrors;
};

// An image that is not at a mirror yet.
struct MirrorLack {
  std::string name;
  std::uint64_t size = 0;
  std::uint64_t have = 0;
  std::string why;
  std::optional<std::int64_t> seconds_left;
  std::string trouble;
};

// This server as a mirror.
struct MirrorState {
  std::string of;
  std::string wants;
  std::optional<std::string> as_of;
  std::string unreachable;
  bool in_hours = true;
  std::string hours;
  std::uint64_t held = 0;
  std::uint64_t missing = 0;
  double rate = 0;
  std::uint64_t rows_waiting = 0;
  std::string trouble;
  std::vector<MirrorLack> lacking;
};

VANTRO_SHAPE(MirrorWants)
VANTRO_SHAPE(MirrorReport)
VANTRO_SHAPE(MirrorKey)
VANTRO_SHAPE(MirrorRecord)
VANTRO_SHAPE(MirrorNews)
VANTRO_SHAPE(ContentNamed)
VANTRO_SHAPE(ContentPart)
VANTRO_SHAPE(MirrorRow)
VANTRO_SHAPE(MirrorRows)
VANTRO_SHAPE(MirrorRowsTaken)
VANTRO_SHAPE(MirrorPiece)
VANTRO_SHAPE(MirrorPieceTaken)
VANTRO_SHAPE(Mirror)
VANTRO_SHAPE(MirrorList)
VANTRO_SHAPE(MirrorLack)
VANTRO_SHAPE(MirrorState)

}  // namespace vantro::api
