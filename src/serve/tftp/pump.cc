#include "serve/tftp/pump.h"

namespace vantro::serve::tftp {
namespace {

using base::Kind;
namespace wire = vantro::wire::tftp;

class ReadEnd final : public FileEnd {
 public:
  explicit ReadEnd(gate::ReadGrant grant) : grant_(std::move(grant)) {}
  base::Outcome<base::ByteBuffer> read(std::uint64_t offset, std::size_t count,
                                       base::ByteBuffer spare) override {
    return grant_.read(offset, count, std::move(spare));
  }
  bool read_now(std::uint64_t offset, std::size_t count,
                base::ByteBuffer& bytes) override {
    return grant_.read_now(offset, count, bytes);
  }
  std::optional<base::ByteView> in_memory(std::uint64_t offset,
                                          std::size_t count) override {
    return grant_.in_memory(offset, count);
  }
  base::Outcome<void> write(base::ByteView) override {
    return base::refuse(Kind::kInvalid, "an image can't be written");
  }
  base::Outcome<void> commit() override {
    return base::refuse(Kind::kInvalid, "an image can't be written");
  }
  void end(gate::State how, const std::string& why) override {
    grant_.transfer().end(how, why);
  }
  void advance(const gate::Movement& movement) override {
    grant_.transfer().advance(movement);
  }

 private:
  gate::ReadGrant grant_;
};

class WriteEnd final : public FileEnd {
 public:
  explicit WriteEnd(gate::WriteGrant grant) : grant_(std::move(grant)) {}
  base::Outcome<base::ByteBuffer> read(std::uint64_t, std::size_t,
                                       base::ByteBuffer) override {
    return base::refuse(Kind::kInvalid, "an arriving backup can't be read");
  }
  bool read_now(std::uint64_t, std::size_t, base::ByteBuffer&) override { return false; }
  std::optional<base::ByteView> in_memory(std::uint64_t, std::size_t) override {
    return std::nullopt;
  }
  base::Outcome<void> write(base::ByteView bytes) override { return grant_.write(bytes); }
  base::Outcome<void> commit() override {
    if (auto filed = grant_.commit(); !filed) return base::refuse(filed.error());
    return {};
  }
  void end(gate::State how, const std::string& why) override {
    // A complete one was recorded by its commit.
    if (how != gate::State::kComplete) grant_.abandon(how, why);
  }
  void advance(const gate::Movement& movement) override {
    grant_.transfer().advance(movement);
  }

 private:
  gate::WriteGrant grant_;
};

constexpr std::chrono::milliseconds kTellInterval{100};

gate::State state_of(wire::Ended::How how) {
  switch (how) {
    case wire::Ended::How::kComplete:
      return gate::State::kComplete;
    case wire::Ended::How::kFailed:
      return gate::State::kFailed;
    case wire::Ended::How::kAbandoned:
      return gate::State::kAbandoned;
  }
  return gate::State::kFailed;
}

}  // namespace

std::unique_ptr<FileEnd> file_end(gate::ReadGrant grant) {
  return std::make_unique<ReadEnd>(std::move(grant));
}

std::unique_ptr<FileEnd> file_end(gate::WriteGrant grant) {
  return std::make_unique<WriteEnd>(std::move(grant));
}

Pump::Pump(std::unique_ptr<wire::Session> session, std::shared_ptr<FileEnd> file,
           Transport& transport, std::shared_ptr<Workers> workers,
           const base::Clock& clock)
    : session_(std::move(session)),
      file_(std::move(file)),
      transport_(transport),
      workers_(std::move(workers)),
      clock_(clock) {}

Pump::~Pump() {
  // Ending a transfer may wait for the disk, which an I/O thread never does.
  workers_->on_disk([file = std::move(file_)]() mutable { file.reset(); });
}

void Pump::superseded() {
  if (done()) return;
  superseded_ = true;
  if (session_->ended()) return;
  workers_->on_disk([file = file_] {
    file->end(gate::State::kAbandoned, "the device began again with another request");
  });
}

void Pump::tick(base::Instant now) {
  const auto deadline = session_->deadline();
  if (!done() && deadline && now >= *deadline) feed(wire::DeadlinePassed{});
}

void Pump::feed(wire::Event event) {
  step(std::move(event));
  while (at_once_) step(*std::exchange(at_once_, std::nullopt));
  transport_.stepped();
}

void Pump::step(wire::Event event) {
  if (done()) return;
  actions_.clear();
  const auto now = clock_.now();
  session_->step(std::move(event), now, actions_);
  for (auto& action : actions_) {
    // Before the end is reported, so that its record has the last numbers.
    if (std::holds_alternative<wire::Ended>(action)) tell_progress(now, true);
    std::visit([this](auto& a) { on(a); }, action);
  }
  if (!session_->ended()) tell_progress(now, false);
}

// People look a few times a second; reporting each packet would cost more than the
// packet.
void Pump::tell_progress(base::Instant now, bool at_end) {
  const auto progress = session_->progress();
  if (progress == told_) return;
  if (!at_end && progress.unanswered == told_.unanswered &&
      now - told_at_ < kTellInterval) {
    return;
  }
  told_ = progress;
  told_at_ = now;
  file_->advance({progress.bytes, progress.resent, progress.unanswered});
}

void Pump::on(wire::Send& action) { transport_.send(action.packet); }

void Pump::on(wire::SendBlocks& action) { transport_.send(action); }

void Pump::on(wire::ReadFile& action) {
  auto bytes = std::move(action.spare);
  if (!action.looks) {
    if (const auto there = file_->in_memory(action.offset, action.count)) {
      at_once_ = wire::FileRead{std::move(bytes), there};
      return;
    }
  }
  if (file_->read_now(action.offset, action.count, bytes)) {
    at_once_ = wire::FileRead{std::move(bytes)};
    return;
  }
  ask_disk([offset = action.offset, count = action.count,
            spare = std::move(bytes)](FileEnd& file) mutable -> wire::Event {
    auto read = file.read(offset, count, std::move(spare));
    if (!read) return wire::FileFailed{read.error()};
    return wire::FileRead{std::move(*read)};
  });
}

void Pump::on(wire::WriteFile& action) {
  auto bytes = std::make_shared<base::ByteBuffer>(std::move(action.bytes));
  ask_disk([bytes](FileEnd& file) -> wire::Event {
    if (auto written = file.write(*bytes); !written) {
      return wire::FileFailed{written.error()};
    }
    return wire::FileWritten{};
  });
}

void Pump::on(wire::CommitFile&) {
  workers_->on_filing(asking([](FileEnd& file) -> wire::Event {
    if (auto committed = file.commit(); !committed) {
      return wire::FileFailed{committed.error()};
    }
    return wire::FileCommitted{};
  }));
}

void Pump::on(wire::Ended& action) {
  workers_->on_disk([file = file_, how = state_of(action.how), why = action.why] {
    file->end(how, why);
  });
}

void Pump::ask_disk(std::function<wire::Event(FileEnd&)> work) {
  workers_->on_disk(asking(std::move(work)));
}

std::function<void()> Pump::asking(std::function<wire::Event(FileEnd&)> work) {
  return [work = std::move(work), file = file_, workers = workers_,
          self = weak_from_this()] {
    auto answer = std::make_shared<wire::Event>(work(*file));
    workers->on_io([answer, self] {
      // A destroyed pump has reported the end already.
      if (const auto pump = self.lock()) pump->feed(std::move(*answer));
    });
  };
}

}  // namespace vantro::serve::tftp
