// Waits for what another thread or process does: for the event itself, not for a time
// that is hoped to be long enough.
#pragma once

#include <chrono>
#include <thread>

namespace vantro::fakes {

// Whether the condition comes true; a minute is given, so that a busy machine has time.
template <class Condition>
bool eventually(Condition condition,
                std::chrono::milliseconds between = std::chrono::milliseconds(2)) {
  // Asking may take its time, too: a program is started for some questions.
  const auto until = std::chrono::steady_clock::now() + std::chrono::minutes(1);
  do {
    if (condition()) return true;
    std::this_thread::sleep_for(between);
  } while (std::chrono::steady_clock::now() < until);
  return false;
}

}  // namespace vantro::fakes
