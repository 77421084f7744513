// The name of one request, which finds its lines in the log and its rows in the ledger:
// "q7f3k2-1a".
#pragma once

#include <string>

namespace vantro::base {

// Another one with each call: six characters drawn at random when the program starts, and
// a count. Thread-safe; cheap enough for an I/O thread.
std::string new_request_id();

}  // namespace vantro::base
