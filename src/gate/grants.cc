#include "gate/grants.h"

#include <cerrno>
#include <cstring>
#include <sys/uio.h>
#include <unistd.h>

#include "gate/workings.h"
#include "gate/write_sink.h"

namespace vantro::gate {

using base::Kind;

// -- Transfer --

Transfer::Transfer(Workings& workings, TransferView start, std::optional<Place> place)
    : workings_(&workings),
      id_(workings.transfers.begin(std::move(start))),
      place_(std::move(place)) {}

Transfer::~Transfer() { end(State::kFailed, "the server dropped it before its end"); }

void Transfer::advance(const Movement& movement) const {
  if (auto* workings = workings_.load()) workings->transfers.advance(id_, movement);
}

void Transfer::end(State how, const std::string& why) {
  auto* workings = workings_.load();
  const auto view = end_unrecorded(how, why);
  if (!view) return;
  auto entry = workings->entry_of(*view);
  if (const auto from = base::Address::parse(view->peer)) {
    workings->recording.record(std::move(entry), *from, *workings->config());
  } else {
    workings->repository.ledger.append(std::move(entry));  // a person's
  }
}

TransferView Transfer::completed(std::uint64_t bytes, const std::string& sha256) const {
  TransferView view;
  if (auto* workings = workings_.load())
    view = workings->transfers.find(id_).value_or(view);
  view.state = State::kComplete;
  view.bytes = bytes;
  view.sha256 = sha256;
  return view;
}

std::optional<TransferView> Transfer::end_unrecorded(State how, const std::string& why) {
  auto* workings = workings_.exchange(nullptr);
  if (workings == nullptr) return std::nullopt;
  // A protocol may hold it for a long time, for a repeated reply.
  place_.reset();
  auto view = workings->transfers.end(id_, how, why);
  if (!view) return view;
  workings->log_end(*view);
  if (const auto address = base::Address::parse(view->peer)) {
    workings->drain.ended(*address);
  }
  return view;
}

base::Outcome<void> Transfer::arrive(std::uint64_t bytes) {
  if (!place_) return {};
  return place_->arrive(bytes);
}

// -- ReadGrant --

base::Outcome<base::ByteBuffer> ReadGrant::read(std::uint64_t offset, std::size_t count,
                                                base::ByteBuffer spare) const {
  auto bytes = std::move(spare);
  bytes.resize(count);
  if (auto done = read(offset, bytes); !done) return base::refuse(done.error());
  return bytes;
}

base::Outcome<void> ReadGrant::read(std::uint64_t offset,
                                    std::span<std::uint8_t> to) const {
  if (found_.text) {
    if (!to.empty()) std::memcpy(to.data(), found_.text->data() + offset, to.size());
    return {};
  }
  for (std::size_t have = 0; have < to.size();) {
    const auto got = ::pread(file(), to.data() + have, to.size() - have,
                             static_cast<off_t>(offset + have));
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) {
      return base::refuse(base::system_refusal(errno, "the stored file can't be read"));
    }
    if (got == 0) {
      return base::refuse(Kind::kCorrupt,
                          "the server's stored copy is shorter than its record");
    }
    have += static_cast<std::size_t>(got);
  }
  return {};
}

bool ReadGrant::read_now(std::uint64_t offset, std::size_t count,
                         base::ByteBuffer& bytes) const {
  bytes.resize(count);
  if (found_.text) {
    if (count > 0) std::memcpy(bytes.data(), found_.text->data() + offset, count);
    return true;
  }
  const iovec part{bytes.data(), count};
  // Short or refused if a page is not in memory, or the file system does not support it.
  const auto got = ::preadv2(file(), &part, 1, static_cast<off_t>(offset), RWF_NOWAIT);
  return got == static_cast<ssize_t>(count);
}

std::optional<base::ByteView> ReadGrant::in_memory(std::uint64_t offset,
                                                   std::size_t count) const {
  if (found_.text) return base::as_bytes(*found_.text).subspan(offset, count);
  if (!shared_ || !shared_->mapped.in_memory(offset, count)) return std::nullopt;
  return shared_->mapped.view(offset, count);
}

// -- WriteGrant --

WriteGrant::WriteGrant(std::unique_ptr<WriteSink> sink) : sink_(std::move(sink)) {}

WriteGrant::WriteGrant(WriteGrant&& other) noexcept
    : open_(std::exchange(other.open_, false)),
      slow_(other.slow_),
      write_refusal_(std::move(other.write_refusal_)),
      sink_(std::move(other.sink_)) {}

WriteGrant::~WriteGrant() {
  abandon(State::kFailed, "the server dropped it before its end");
}

base::Outcome<void> WriteGrant::write(base::ByteView bytes) {
  if (write_refusal_) return base::refuse(*write_refusal_);
  auto written = sink_->write(bytes);
  if (!written) write_refusal_ = written.error();
  return written;
}

base::Outcome<void> WriteGrant::sync() {
  if (write_refusal_) return base::refuse(*write_refusal_);
  return sink_->sync();
}

void WriteGrant::expect(const std::vector<crypto::Expected>& digests) {
  sink_->expect(digests);
}

void WriteGrant::ended(Ending ending) { sink_->ended(ending); }

base::Outcome<Filed> WriteGrant::commit() {
  if (write_refusal_) return base::refuse(*write_refusal_);
  auto filed = sink_->commit();
  if (filed) open_ = false;
  return filed;
}

void WriteGrant::abandon(State how, const std::string& why) {
  if (!std::exchange(open_, false)) return;
  sink_->abandon(how, why, !write_refusal_);
}

const Transfer& WriteGrant::transfer() const { return sink_->transfer(); }

}  // namespace vantro::gate
