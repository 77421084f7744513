// The commands about images: taking in, listing, finding, comparing.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "client/image_changes.h"

namespace vantro::client {

struct ImageAddOptions {
  std::string file;
  std::string name;  // empty: the file's own
  ChecksumOptions checksums;
  std::map<std::string, std::string> facts;
  bool hold = false;
  bool despite_findings = false;
  bool yes = false;  // take suggestions without asking
};
Done add_image(const Context& context, const ImageAddOptions& options);

struct ImageListOptions {
  std::map<std::string, std::string> facts;
  std::string text;
  std::string vouching;
  bool on_offer = false;
  bool held = false;
  bool newest = false;
  std::size_t limit = 1000;
};
Done list_images(const Context& context, const ImageListOptions& options);
Done show_image(const Context& context, const std::string& name);
// Is this file, or are bytes with this checksum, in the catalogue? Not found is a
// failure with kNotFound.
Done find_image(const Context& context, const std::string& file_or_checksum);
Done compare_images(const Context& context, const std::string& a, const std::string& b);
// The maker's checksums for a file of this name, out of the options; a list's signature
// is checked first.
Result<std::vector<std::string>> expected_for(const ChecksumOptions& options,
                                              const std::string& name);

struct Uploaded {
  std::string name;
  std::string query;  // "?expect=..." or empty
  std::string label;  // of the progress bar
};
Result<nlohmann::json> upload(const ApiClient& api, const OpenedFile& file,
                              const std::string& file_name, const Uploaded& as);

}  // namespace vantro::client
