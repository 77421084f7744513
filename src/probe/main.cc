// vantro-look: the look inside a file that is its standard input. vantrod starts it for
// each file; it is a program of its own because it starts in a fraction of the server's
// time.
#include <cstdio>
#include <string_view>

#include "probe/apart.h"

int main(int argc, char** argv) {
  using namespace vantro::probe;
  if (argc == 3 && std::string_view(argv[1]) == kChildArgument) {
    return child_main(argv[2]);
  }
  if (argc == 4 && std::string_view(argv[1]) == kTakeOutArgument) {
    return take_out_main(argv[2], argv[3]);
  }
  std::fputs("vantrod starts this program itself, to look into files\n", stderr);
  return 2;
}
