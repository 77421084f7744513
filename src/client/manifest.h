// The table of contents of an export: every image with its facts.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "api/catalogue.h"

namespace vantro::client {

struct ManifestDocument {
  std::string name;
  std::string file;  // in the export
  std::uint64_t size = 0;
  std::string sha256;
};

struct ManifestImage {
  std::string name;
  std::vector<std::string> names;
  std::string file;  // in the export
  std::uint64_t size = 0;
  api::Digests digests;
  api::Facts facts;
  std::vector<api::Vouch> vouches;
  std::vector<api::Offer> offers;
  std::vector<ManifestDocument> documents;
  std::string withdrawn;  // the reason; empty: it is not
};

struct Manifest {
  std::string format;
  int version = 0;
  std::string made_at;
  std::vector<ManifestImage> images;
  std::vector<api::Kit> kits;
};

// What an import says as JSON.
struct Imports {
  std::size_t taken_in = 0;
  std::size_t known = 0;
  std::vector<std::string> failed;
};

}  // namespace vantro::client

namespace vantro::api {
VANTRO_SHAPE(client::ManifestDocument)
VANTRO_SHAPE(client::ManifestImage)
VANTRO_SHAPE(client::Manifest)
VANTRO_SHAPE(client::Imports)
}  // namespace vantro::api
