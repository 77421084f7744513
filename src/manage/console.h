// The pages of the console (console/): built by Vite, embedded in the program, and served
// beside the API, without a log-in: they are only code, which asks the API.
#pragma once

#include <optional>
#include <span>
#include <string_view>

#include "net/http/answer.h"
#include "net/http/request.h"

namespace vantro::manage {

// One file, plain and compressed by gzip (RFC 1952).
struct ConsoleFile {
  std::string_view path;  // "/console.js"
  std::string_view type;
  std::string_view bytes;
  std::string_view gzipped;
  std::string_view tag;  // for ETag, without quotes
};

// All of them; none: the program was built without the console.
std::span<const ConsoleFile> console_files();

// Whether a request is for the console, and not for the API.
bool is_for_console(const net::http::Head& head);

// An address that is not a file is a page of the console: index.html is served, and its
// code shows the page. So people can bookmark such addresses. REQUIRES: is_for_console().
net::http::Answer console_answer(const net::http::Head& head,
                                 std::span<const ConsoleFile> files);

}  // namespace vantro::manage
