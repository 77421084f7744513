// Comparisons as people read them: on a terminal, and as a page.
#pragma once

#include <string>

#include "api/backups.h"
#include "client/terminal.h"

namespace vantro::client {

// "2 lines added, 1 removed; 3 lines do not count; 1 secret is masked"
std::string counts_text(const api::TextComparison& comparison);

// The hunks, each with its sections and line numbers.
void write_hunks(const Terminal& terminal, const api::TextComparison& comparison);

// A whole page without anything from elsewhere (HTML 5, one file).
std::string report_page(const api::ChangeReport& report);

// "expected daily; last 3 d ago"
std::string expected_text(const api::Expected& expected);

}  // namespace vantro::client
