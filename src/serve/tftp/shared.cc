#include "serve/tftp/shared.h"

namespace vantro::serve::tftp {

Shared::Verdict Shared::may_answer(const base::Address& address, For what) {
  const auto now = clock.now();
  const base::Lock lock(mutex_);
  return budget_.ask(address, what, now);
}

void Shared::give_back(const base::Address& address, For what) {
  const auto now = clock.now();
  const base::Lock lock(mutex_);
  budget_.give_back(address, what, now);
}

void Shared::proven(const base::Address& address) {
  const auto now = clock.now();
  const base::Lock lock(mutex_);
  budget_.proven(address, now);
}

}  // namespace vantro::serve::tftp
