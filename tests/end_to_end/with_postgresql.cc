// Runs a command with VANTRO_TEST_POSTGRESQL set to a PostgreSQL of its own, which ends
// with it.
//
//   vantro-with-postgresql COMMAND [ARGUMENT]...
#include <cstdio>
#include <cstdlib>
#include <exception>
#include <sys/wait.h>
#include <unistd.h>

#include "tests/end_to_end/postgresql_server.h"

int main(int argc, char** argv) try {
  if (argc < 2) {
    std::fputs("usage: vantro-with-postgresql COMMAND [ARGUMENT]...\n", stderr);
    return 2;
  }
  const vantro::end_to_end::PostgresqlServer server;
  ::setenv("VANTRO_TEST_POSTGRESQL", server.url_of_socket().c_str(), 1);
  const int child = ::fork();
  if (child == 0) {
    ::execvp(argv[1], argv + 1);
    std::perror(argv[1]);
    ::_exit(127);
  }
  int status = 0;
  if (child < 0 || ::waitpid(child, &status, 0) != child) return 1;
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
