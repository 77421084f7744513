// The commands that change an image's facts, state and documents.
#pragma once

#include <string>
#include <vector>

#include "client/command_line.h"

namespace vantro::client {

// Where a maker's checksums come from.
struct ChecksumOptions {
  std::vector<std::string> expect;  // "ALGO:HEX" or hex
  std::string list;                 // a checksum list file, "-" for standard input
  std::string signature;            // a detached signature over it
  std::string key;                  // the maker's public key
  std::string source;               // where the checksum came from, in words
};

// --expect and so on.
void checksum_values(const Command& command, ChecksumOptions& options);

// Compares the image with the maker's checksums; the API's answer.
Result<Answered<api::Vouched>> send_vouches(const ApiClient& api, const std::string& name,
                                            const ChecksumOptions& options);

// change, vouch, withdraw, write, recognise, document
void image_change_commands(const Command& image);

}  // namespace vantro::client
