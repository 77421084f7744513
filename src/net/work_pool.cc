#include "net/work_pool.h"

#include <atomic>
#include <boost/asio/executor_work_guard.hpp>
#include <boost/asio/io_context.hpp>
#include <boost/asio/post.hpp>
#include <boost/asio/strand.hpp>
#include <chrono>
#include <exception>
#include <thread>
#include <vector>

namespace vantro::net {
namespace {

namespace asio = boost::asio;
using Executor = asio::io_context::executor_type;

// Short of memory, say: give other work a moment to free some.
constexpr std::chrono::milliseconds kPause{10};

}  // namespace

void run_on(asio::io_context& context, const base::Log& log) {
  while (true) {
    try {
      context.run();
      return;
    } catch (const std::exception& error) {
      log.error("a task was dropped", {{"why", error.what()}});
      std::this_thread::sleep_for(kPause);
    }
  }
}

struct WorkPool::Threads {
  explicit Threads(base::Log to) : log(std::move(to)) {}
  asio::io_context context;
  base::Log log;
  asio::executor_work_guard<Executor> guard{context.get_executor()};
  std::vector<std::thread> all;
  std::size_t count = 0;
  std::atomic<std::size_t> posted = 0, begun = 0, ended = 0;

  // Counts the piece of work, whatever its result.
  std::function<void()> counted(std::function<void()> work) {
    ++posted;
    return [this, work = std::move(work)] {
      ++begun;
      struct End {
        std::atomic<std::size_t>& count;
        ~End() { ++count; }
      };
      const End end{ended};
      work();
    };
  }
};

struct InOrder::Strand {
  asio::strand<Executor> executor;
  WorkPool::Threads& threads;
};

WorkPool::WorkPool(std::size_t threads, base::Log log)
    : threads_(std::make_unique<Threads>(std::move(log))) {
  threads_->count = threads;
  for (std::size_t i = 0; i < threads; ++i) {
    threads_->all.emplace_back([&own = *threads_] { run_on(own.context, own.log); });
  }
}

WorkPool::~WorkPool() {
  stop();
  join();
}

void WorkPool::post(std::function<void()> work) {
  asio::post(threads_->context, threads_->counted(std::move(work)));
}

WorkPool::Load WorkPool::load() const {
  // In this order, so that none is below zero.
  const auto ended = threads_->ended.load();
  const auto begun = threads_->begun.load();
  const auto posted = threads_->posted.load();
  return {threads_->count, begun - ended, posted - begun};
}

void WorkPool::join() {
  threads_->guard.reset();
  for (auto& thread : threads_->all) thread.join();
  threads_->all.clear();
}

void WorkPool::stop() { threads_->context.stop(); }

InOrder::InOrder(WorkPool& pool)
    : strand_(std::make_unique<Strand>(
          Strand{asio::make_strand(pool.threads_->context), *pool.threads_})) {}

InOrder::~InOrder() = default;

void InOrder::post(std::function<void()> work) {
  asio::post(strand_->executor, strand_->threads.counted(std::move(work)));
}

}  // namespace vantro::net
