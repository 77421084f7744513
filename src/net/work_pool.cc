#include "net/work_pool.h"

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

// Short of memory, say: a moment for what else runs to give some back.
constexpr std::chrono::milliseconds kPause{10};

}  // namespace

void run_on(asio::io_context& context, const base::Log& log) {
  while (true) {
    try {
      context.run();
      return;
    } catch (const std::exception& error) {
      log.error("a piece of work was given up", {{"why", error.what()}});
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
};

struct InOrder::Strand {
  asio::strand<Executor> executor;
};

WorkPool::WorkPool(std::size_t threads, base::Log log)
    : threads_(std::make_unique<Threads>(std::move(log))) {
  for (std::size_t i = 0; i < threads; ++i) {
    threads_->all.emplace_back([&own = *threads_] { run_on(own.context, own.log); });
  }
}

WorkPool::~WorkPool() {
  stop();
  join();
}

void WorkPool::post(std::function<void()> work) {
  asio::post(threads_->context, std::move(work));
}

void WorkPool::join() {
  threads_->guard.reset();
  for (auto& thread : threads_->all) thread.join();
  threads_->all.clear();
}

void WorkPool::stop() { threads_->context.stop(); }

InOrder::InOrder(WorkPool& pool)
    : strand_(
          std::make_unique<Strand>(Strand{asio::make_strand(pool.threads_->context)})) {}

InOrder::~InOrder() = default;

void InOrder::post(std::function<void()> work) {
  asio::post(strand_->executor, std::move(work));
}

}  // namespace vantro::net
