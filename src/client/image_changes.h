// The commands that change what is known of an image, and those about its documents.
#pragma once

#include <map>
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

// Holds the image against the maker's checksums; the API's answer.
Result<nlohmann::json> send_vouches(const ApiClient& api, const std::string& name,
                                    const ChecksumOptions& options);

// The API's path of an image, and what follows it.
std::string image_path(const std::string& name, const char* rest = "");

}  // namespace vantro::client
