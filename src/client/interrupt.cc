#include "client/interrupt.h"

#include <csignal>

namespace vantro::client {
namespace {

volatile std::sig_atomic_t came = 0;
void note(int) { came = 1; }

}  // namespace

void notice_interrupts() {
  struct sigaction action {};
  action.sa_handler = note;
  ::sigaction(SIGINT, &action, nullptr);
  ::sigaction(SIGTERM, &action, nullptr);
}

bool interrupted() { return came != 0; }

}  // namespace vantro::client
