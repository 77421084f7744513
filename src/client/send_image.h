// Sends the bytes of an image to the server.
#pragma once

#include <string>

#include "api/catalogue.h"
#include "client/answers.h"
#include "client/progress.h"

namespace vantro::client {

// Files of this size and more are sent in pieces: after a broken connection sending
// resumes where it stopped, by itself or by the same command within an hour.
constexpr std::uint64_t kInPiecesFrom = std::uint64_t{4} << 20;

// `file_name`: as a person knows the file. `bar` shows the progress, plus `before` bytes.
// Ctrl-C ends it, and the failure says how much was sent.
Result<Answered<api::ImageAdded>> send_image(const Context& context,
                                             const OpenedFile& file,
                                             const std::string& file_name,
                                             const api::ImageGiven& given, Progress& bar,
                                             std::uint64_t before = 0);

}  // namespace vantro::client
