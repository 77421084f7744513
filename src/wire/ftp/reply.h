// Replies: a number and text, in one line or several (RFC 959, 4.2).
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"

namespace vantro::wire::ftp {

// One line. Characters that would end it are shown as \xNN.
std::string reply(int code, std::string_view text);
// The first and the last one carry the number, those between begin with a blank.
std::string reply(int code, const std::vector<std::string>& lines);

// What was refused: the same cause has a different number for each.
enum class Asked { kFile, kUpload };

// The number of a refusal.
int reply_code(base::Kind kind, Asked asked);
// Number, sentence and nearest name.
std::string refusal(const base::Refusal& refusal, Asked asked);

}  // namespace vantro::wire::ftp
