// What the lanes of a TFTP server share. Thread-safe.
#pragma once

#include <utility>

#include "base/clock.h"
#include "base/log.h"
#include "base/mutex.h"
#include "gate/gate.h"
#include "serve/tftp/server.h"
#include "wire/tftp/answer_budget.h"

namespace vantro::serve::tftp {

struct Shared {
  Shared(Pools p, gate::Gate& g, const base::Clock& c, base::Log l, Config settings)
      : pools(p), gate(g), clock(c), log(std::move(l)), config(std::move(settings)) {}

  using For = wire::tftp::AnswerBudget::For;
  using Verdict = wire::tftp::AnswerBudget::Verdict;
  Verdict may_answer(const base::Address& address, For what);
  void give_back(const base::Address& address, For what);
  void proven(const base::Address& address);

  const Pools pools;
  gate::Gate& gate;
  const base::Clock& clock;
  base::Log log;
  const Config config;

 private:
  base::Mutex mutex_;
  wire::tftp::AnswerBudget budget_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::serve::tftp
