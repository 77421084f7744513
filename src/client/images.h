// The commands about images: taking in, facts, vouching, finding, comparing.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "client/answers.h"

namespace vantro::client {

// Where a maker's checksums come from.
struct ChecksumOptions {
  std::vector<std::string> expect;  // "ALGO:HEX" or hex
  std::string list;                 // a checksum list file, "-" for standard input
  std::string signature;            // a detached signature over it
  std::string key;                  // the maker's public key
  std::string source;               // where it was had from, in words
};

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
Done edit_image(const Context& context, const std::string& name,
                const std::map<std::string, std::string>& facts);
Done withdraw_image(const Context& context, const std::string& name,
                    const std::string& why);
Done return_image(const Context& context, const std::string& name);
Done vouch_image(const Context& context, const std::string& name,
                 const ChecksumOptions& options, bool retract);
Done save_image(const Context& context, const std::string& name, const std::string& to,
                bool force);
// What the recognisers make of a name.
Done recognise(const Context& context, const std::string& name);

Done attach_document(const Context& context, const std::string& image,
                     const std::string& file);
Done save_document(const Context& context, const std::string& image,
                   const std::string& document, const std::string& to, bool force);
Done detach_document(const Context& context, const std::string& image,
                     const std::string& document);

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
