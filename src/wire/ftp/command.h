// A command line of FTP: a verb and its argument (RFC 959, 5.3).
#pragma once

#include <string>
#include <string_view>

namespace vantro::wire::ftp {

struct Command {
  std::string verb;      // upper-case, the X forms (RFC 1123, 4.1.3.1) as the usual ones
  std::string argument;  // as it was typed
};

// Blanks before the verb and at the end of the line are ignored, but in a password blanks
// count. A verb with other characters than letters is returned unchanged.
Command parse_command(std::string_view line);

// ASCII letters only.
std::string upper(std::string_view text);

// The meaning of a typed path in the folder. Both begin with "/", "/" alone is the top;
// ".." goes up, at most to the top; a backslash is a slash.
std::string resolve(std::string_view folder, std::string_view typed);

// A listing's argument without the options that clients add as for a shell ("-la").
std::string_view without_options(std::string_view argument);

}  // namespace vantro::wire::ftp
