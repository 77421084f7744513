// The shapes of images that are sent in pieces (see shapes.h).
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "api/catalogue.h"
#include "api/shape.h"

namespace vantro::api {

struct UploadDescription {
  std::vector<std::string> expect;
  std::string list;
  std::string source;
  bool hold = false;
  bool despite_findings = false;
  bool vouch = true;
  bool suggest = true;
  std::map<std::string, std::string> facts;
};

struct UploadWanted {
  std::string name;
  std::uint64_t size = 0;
  UploadDescription description;
};

struct Upload {
  std::int64_t number = 0;
  std::string name;
  std::uint64_t bytes = 0;
  std::uint64_t size = 0;
  std::string state;
  std::string why;
  std::uint64_t looked_bytes = 0;
};

struct UploadList {
  std::vector<Upload> uploads;
};

struct UploadAsked {
  std::int64_t number = 0;
};

struct PieceAsked {
  std::int64_t number = 0;
  std::uint64_t offset = 0;
};

struct FilingWanted {
  std::string sha256;
};

VANTRO_SHAPE(UploadDescription)
VANTRO_SHAPE(UploadWanted)
VANTRO_SHAPE(Upload)
VANTRO_SHAPE(UploadList)
VANTRO_SHAPE(UploadAsked)
VANTRO_SHAPE(PieceAsked)
VANTRO_SHAPE(FilingWanted)

}  // namespace vantro::api
