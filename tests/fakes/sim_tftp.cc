#include "tests/fakes/sim_tftp.h"

#include <algorithm>

#include "base/numbers.h"
#include "wire/tftp/netascii.h"

namespace vantro::fakes {
namespace {

std::string text_of(const base::ByteBuffer& bytes) {
  return {bytes.begin(), bytes.end()};
}

std::string in_netascii(const std::string& file) {
  base::ByteBuffer wire;
  tftp::append_netascii(wire, base::as_bytes(file));
  return text_of(wire);
}

std::string from_netascii(const std::string& wire) {
  base::ByteBuffer file;
  tftp::NetasciiDecoder decoder;
  decoder.append(file, base::as_bytes(wire));
  decoder.finish(file);
  return text_of(file);
}

}  // namespace

SimResult SimTftp::run() {
  wire_bytes_ = habits_.netascii ? in_netascii(file_) : file_;
  tftp::Request request{habits_.write, "x", habits_.netascii ? "netascii" : "octet",
                        habits_.options};
  client_says(tftp::encode(request), true);
  while (clock_.now() < base::Instant{} + kLongestRun) {
    auto next = base::Instant::max();
    if (!queue_.empty()) next = queue_.begin()->first;
    if (!client_done_) next = std::min(next, client_due_);
    if (machine_ && machine_->deadline() && !client_done_) {
      next = std::min(next, *machine_->deadline());
    }
    int due = 0;
    for (const auto& [id, transfer] : transfers_) {
      const auto deadline = transfer.session->deadline();
      if (transfer.session->done() || !deadline || *deadline >= next) continue;
      next = *deadline;
      due = id;
    }
    if (next == base::Instant::max()) break;
    clock_.move_to(next);
    if (due != 0) {
      feed(due, tftp::DeadlinePassed{});
    } else if (!queue_.empty() && queue_.begin()->first <= clock_.now()) {
      auto work = std::move(queue_.begin()->second);
      queue_.erase(queue_.begin());
      work();
    } else if (machine_ && machine_->deadline() &&
               *machine_->deadline() <= clock_.now()) {
      machine_step(tftp::DeadlinePassed{});
    } else {
      client_timeout();
    }
  }
  result_.server_ended = std::all_of(
      transfers_.begin(), transfers_.end(),
      [](const auto& one) { return one.second.ended && one.second.session->done(); });
  result_.transfers = transfers_.size();
  result_.outlived = server_done_at_ - client_last_spoke_;
  return result_;
}

void SimTftp::through_network(
    base::ByteBuffer bytes, const std::function<void(const base::ByteBuffer&)>& arrive) {
  for (const auto delay : network_(datagrams_++)) {
    auto copy = bytes;
    if (damage_) damage_(copy);
    later(delay, [arrive, copy = std::move(copy)] { arrive(copy); });
  }
}

// -- The server --

void SimTftp::server_gets(int from, int to, const base::ByteBuffer& bytes) {
  const auto packet = tftp::parse(bytes);
  if (to == kListener) {
    if (!packet) return;
    if (const auto* request = std::get_if<tftp::Request>(&*packet))
      requested(from, *request);
    return;
  }
  const auto found = transfers_.find(to);
  if (found == transfers_.end() || found->second.session->done()) return;
  if (found->second.peer_port != from) {
    through_network(tftp::encode(tftp::Error{5, "this port serves another transfer"}),
                    [this, to, from](const auto& b) { client_gets(to, from, b); });
    return;
  }
  feed(to, tftp::Datagram{bytes});
  auto& transfer = found->second;
  if (transfer.before && transfer.session->progress().heard) {
    supersede(*std::exchange(transfer.before, std::nullopt));
  }
}

void SimTftp::requested(int from, const tftp::Request& request) {
  std::optional<int> before;
  if (const auto known = by_peer_.find(from); known != by_peer_.end()) {
    const auto& running = transfers_.at(known->second);
    if (!running.session->done()) {
      tftp::RunningTransfer now;
      now.same_request = running.request == request;
      now.opened = true;
      now.ended = running.session->ended();
      now.heard = running.session->progress().heard;
      switch (tftp::on_request(now)) {
        case tftp::OnRequest::kIgnore:
          return;
        case tftp::OnRequest::kReplace:
          supersede(known->second);
          break;
        case tftp::OnRequest::kOpenBeside:
          before = known->second;
          break;
      }
    }
  }
  if (transfers_.size() >= 100) return;
  const auto id = ++last_id_;
  auto& transfer = transfers_[id];
  by_peer_[from] = id;
  transfer.peer_port = from;
  transfer.request = request;
  transfer.before = before;
  if (request.write) {
    transfer.session = std::make_unique<tftp::WriteSession>(tftp::negotiate(request, {}),
                                                            tftp::Patience{}, 7);
  } else {
    transfer.session = sender_(tftp::negotiate(request, file_.size()), file_.size());
  }
  feed(id, tftp::Begin{});
}

void SimTftp::supersede(int id) {
  auto& transfer = transfers_.at(id);
  if (transfer.before) supersede(*std::exchange(transfer.before, std::nullopt));
  if (!transfer.session->done()) feed(id, tftp::Stop{"the device began anew"});
}

void SimTftp::feed(int id, tftp::Event event) {
  auto& transfer = transfers_.at(id);
  if (transfer.session->done()) return;
  tftp::Actions actions;
  transfer.session->step(std::move(event), clock_.now(), actions);
  for (auto& action : actions) {
    std::visit([this, id](auto& a) { carry_out(id, a); }, action);
  }
  note_memory(transfer);
  if (transfer.session->done()) server_done_at_ = clock_.now();
}

void SimTftp::carry_out(int id, tftp::Send& send) {
  ++result_.server_datagrams;
  through_network(send.packet, [this, id, to = transfers_.at(id).peer_port](
                                   const auto& b) { client_gets(id, to, b); });
}

void SimTftp::carry_out(int id, tftp::SendBlocks& blocks) {
  auto rest = blocks.bytes;
  for (std::size_t i = 0; i < blocks.count; ++i) {
    const auto part = rest.first(std::min(rest.size(), blocks.block_size));
    rest = rest.subspan(part.size());
    tftp::Send send{tftp::encode_data_head(static_cast<std::uint16_t>(blocks.first + i))};
    send.packet.insert(send.packet.end(), part.begin(), part.end());
    ++result_.server_blocks;
    carry_out(id, send);
  }
}

void SimTftp::carry_out(int id, tftp::ReadFile& read) {
  const auto there =
      base::as_bytes(std::string_view(file_).substr(read.offset, read.count));
  later(disk_delay_(), [this, id, there, looks = read.looks, offset = read.offset] {
    transfers_.at(id).handed_out += there.size();
    // Now in place and now in memory of its own, as a disk answers that has some of it.
    const bool in_place = !looks && offset / there.size() % 3 != 0;
    if (in_place) {
      feed(id, tftp::FileRead{{}, there});
    } else {
      feed(id, tftp::FileRead{{there.begin(), there.end()}});
    }
  });
}

void SimTftp::carry_out(int id, tftp::WriteFile& write) {
  auto& transfer = transfers_.at(id);
  transfer.written.append(write.bytes.begin(), write.bytes.end());
  transfer.disk_free_at = std::max(transfer.disk_free_at, clock_.now()) + disk_delay_();
  queue_.emplace(transfer.disk_free_at, [this, id] { feed(id, tftp::FileWritten{}); });
}

void SimTftp::carry_out(int id, tftp::CommitFile&) {
  auto& transfer = transfers_.at(id);
  transfer.disk_free_at = std::max(transfer.disk_free_at, clock_.now()) + disk_delay_();
  queue_.emplace(transfer.disk_free_at, [this, id] {
    result_.server_bytes = transfers_.at(id).written;
    feed(id, tftp::FileCommitted{});
  });
}

void SimTftp::carry_out(int id, tftp::Ended& ended) {
  auto& transfer = transfers_.at(id);
  transfer.ended = true;
  if (ended.how != tftp::Ended::How::kComplete) return;
  result_.server_complete = true;
  const auto announced = tftp::negotiate(transfer.request, {}).announced;
  result_.whole =
      !transfer.request.write || transfer.written.size() >= announced.value_or(0);
}

void SimTftp::note_memory(const Transfer& transfer) {
  const auto progress = transfer.session->progress();
  const auto held =
      transfer.request.write
          ? progress.bytes - transfer.written.size()
          : transfer.handed_out - std::min(transfer.handed_out, progress.bytes);
  result_.most_held = std::max<std::size_t>(result_.most_held, held);
}

// -- The client --

void SimTftp::client_says(const base::ByteBuffer& bytes, bool keeps) {
  if (keeps) {
    last_said_ = bytes;
    client_due_ = clock_.now() + habits_.timeout;
  }
  const int copies = habits_.acknowledges_twice && begun_ ? 2 : 1;
  const auto to = server_port_.value_or(kListener);
  for (int i = 0; i < copies; ++i) {
    ++result_.client_datagrams;
    client_last_spoke_ =
        clock_.now() + (begun_ ? habits_.answers_late : base::Duration{});
    const auto say = [this, bytes, to, from = client_port_] {
      through_network(bytes,
                      [this, from, to](const auto& b) { server_gets(from, to, b); });
    };
    if (begun_ && habits_.answers_late > base::Duration{}) {
      later(habits_.answers_late, say);
    } else {
      say();
    }
  }
}

void SimTftp::client_gets(int from, int to, const base::ByteBuffer& bytes) {
  if (to != client_port_ && !habits_.changes_port) return;
  const auto packet = tftp::parse(bytes);
  if (!packet) return;
  const auto* error = std::get_if<tftp::Error>(&*packet);
  if (server_port_ && from != *server_port_) {
    // RFC 1350, 4: a stranger is told so, and nothing changes.
    if (error == nullptr) {
      through_network(tftp::encode(tftp::Error{5, "unknown transfer"}),
                      [this, from, to](const auto& b) { server_gets(to, from, b); });
    }
    return;
  }
  if (error != nullptr) {
    if (!result_.client_complete) end_client(false);
    return;
  }
  if (client_done_ && !result_.client_complete) return;
  if (!begun_) {
    begun_ = true;
    server_port_ = from;
    if (habits_.changes_port) client_port_ = kOtherClientPort;
    if (const auto* options = std::get_if<tftp::OptionAck>(&*packet)) accept(*options);
  }
  if (habits_.silent_after && block_ >= *habits_.silent_after && !client_done_) {
    end_client(false);
    return;
  }
  if (habits_.repeats_request && block_ >= 2 && !repeated_) {
    repeated_ = true;
    tftp::Request request{habits_.write, "x", habits_.netascii ? "netascii" : "octet",
                          habits_.options};
    ++result_.client_datagrams;
    through_network(tftp::encode(request), [this, at = client_port_](const auto& b) {
      server_gets(at, kListener, b);
    });
  }
  if (habits_.project_machine) {
    machine_gets(*packet, bytes);
  } else if (habits_.write) {
    writer_gets(*packet);
  } else {
    reader_gets(*packet);
  }
}

void SimTftp::accept(const tftp::OptionAck& options) {
  for (const auto& [name, text] : options.options) {
    const auto value = base::parse_number<std::uint64_t>(text).value_or(0);
    if (name == "blksize") block_size_ = value;
    if (name == "windowsize") window_ = value;
    if (name == "tsize" && !habits_.write) told_size_ = value;
  }
  if (habits_.forgets_window) window_ = 1;
}

void SimTftp::ack(std::uint64_t block, bool keeps) {
  client_says(tftp::encode(tftp::Ack{static_cast<std::uint16_t>(block)}), keeps);
}

void SimTftp::reader_gets(const tftp::Packet& packet) {
  if (std::holds_alternative<tftp::OptionAck>(packet)) {
    if (habits_.never_acknowledges_options) {
      last_said_.clear();
      return;
    }
    if (block_ == 0) ack(0);
    return;
  }
  const auto* data = std::get_if<tftp::Data>(&packet);
  if (data == nullptr) return;
  if (result_.client_complete) {
    if (data->block == static_cast<std::uint16_t>(block_)) ack(block_, false);
    return;
  }
  if (data->block != static_cast<std::uint16_t>(block_ + 1)) {
    const auto ahead = static_cast<std::uint16_t>(data->block - block_ - 1);
    const bool copy = ahead >= UINT16_MAX / 2;
    if (copy && habits_.acknowledges_copies) {
      in_window_ = 0;
      ack(block_, false);
    } else if (ahead == UINT16_MAX && in_window_ == 0) {
      ack(block_, false);
    }
    if (ahead > 0 && ahead < window_ && !gap_told_) {
      gap_told_ = true;
      in_window_ = 0;
      ack(block_, false);
    }
    return;
  }
  const bool last = data->bytes.size() < block_size_;
  // A client that was told the size takes no shorter file for the whole.
  if (last && told_size_ && taken_.size() + data->bytes.size() < *told_size_) return;
  taken_.append(data->bytes.begin(), data->bytes.end());
  ++block_;
  ++in_window_;
  tries_ = 0;
  gap_told_ = false;
  if (last) end_client(true);
  if (last || in_window_ >= window_ || habits_.acknowledges_inside) {
    in_window_ = 0;
    ack(block_);
  } else {
    last_said_ = tftp::encode(tftp::Ack{static_cast<std::uint16_t>(block_)});
    client_due_ = clock_.now() + habits_.timeout;
  }
}

void SimTftp::writer_gets(const tftp::Packet& packet) {
  const auto* ack_packet = std::get_if<tftp::Ack>(&packet);
  const bool options = std::holds_alternative<tftp::OptionAck>(packet);
  if (options && habits_.never_acknowledges_options) {
    last_said_.clear();
    return;
  }
  const auto blocks = wire_bytes_.size() / block_size_ + 1;
  if (options) {
    if (last_said_.size() >= 2 && last_said_[1] == 3) return;  // a copy: data has begun
  } else {
    if (ack_packet == nullptr) return;
    const auto advanced = static_cast<std::uint16_t>(ack_packet->block - block_);
    const bool first = block_ == 0 && advanced == 0 && last_said_[1] == 2;
    if (advanced > window_ || (advanced == 0 && !first)) return;
    block_ += advanced;
    tries_ = 0;
  }
  if (block_ >= blocks) {
    end_client(true);
    return;
  }
  send_window();
}

void SimTftp::send_window() {
  const auto blocks = wire_bytes_.size() / block_size_ + 1;
  for (std::uint64_t i = 1; i <= window_ && block_ + i <= blocks; ++i) {
    auto bytes = tftp::encode_data_head(static_cast<std::uint16_t>(block_ + i));
    const auto part = wire_bytes_.substr((block_ + i - 1) * block_size_, block_size_);
    bytes.insert(bytes.end(), part.begin(), part.end());
    client_says(bytes, true);
  }
}

void SimTftp::client_timeout() {
  if (++tries_ > habits_.most_tries) {
    end_client(false);
    return;
  }
  client_due_ = clock_.now() + habits_.timeout;
  if (machine_ || last_said_.empty()) return;  // the machine has its own deadline
  if (habits_.write && begun_ && last_said_[1] == 3) {
    send_window();
  } else if (habits_.project_machine || begun_ || last_said_[1] > 2) {
    in_window_ = 0;
    client_says(last_said_, true);
  }
  // A request is sent once: the server's resends must do.
}

void SimTftp::end_client(bool complete) {
  client_done_ = true;
  result_.took = clock_.now() - base::Instant{};
  result_.client_complete = complete;
  if (complete && !habits_.write) {
    result_.client_bytes = habits_.netascii ? from_netascii(taken_) : taken_;
  }
}

// The project's machine on the client's side: a WriteSession takes an image, a
// ReadSession gives one.
void SimTftp::machine_gets(const tftp::Packet& packet, const base::ByteBuffer& bytes) {
  if (!machine_) {
    tftp::Terms terms;
    terms.netascii = habits_.netascii;
    terms.block_size = block_size_;
    terms.window_size = window_;
    terms.announced = told_size_;
    if (habits_.write) {
      machine_ =
          std::make_unique<tftp::ReadSession>(terms, file_.size(), tftp::Patience{}, 9);
    } else {
      machine_ = std::make_unique<tftp::WriteSession>(terms, tftp::Patience{}, 9);
    }
    machine_step(tftp::Begin{});
    if (!std::holds_alternative<tftp::Data>(packet)) return;
  }
  machine_step(tftp::Datagram{bytes});
}

void SimTftp::machine_step(tftp::Event event) {
  if (machine_->done()) return;
  tftp::Actions actions;
  machine_->step(std::move(event), clock_.now(), actions);
  tries_ = 0;
  client_due_ = base::Instant::max();
  for (auto& action : actions) {
    if (auto* send = std::get_if<tftp::Send>(&action)) {
      client_says(send->packet, false);
    } else if (auto* blocks = std::get_if<tftp::SendBlocks>(&action)) {
      auto rest = blocks->bytes;
      for (std::size_t i = 0; i < blocks->count; ++i) {
        const auto part = rest.first(std::min(rest.size(), blocks->block_size));
        rest = rest.subspan(part.size());
        auto packet =
            tftp::encode_data_head(static_cast<std::uint16_t>(blocks->first + i));
        packet.insert(packet.end(), part.begin(), part.end());
        client_says(packet, false);
      }
    } else if (auto* read = std::get_if<tftp::ReadFile>(&action)) {
      const auto at = file_.begin() + static_cast<std::ptrdiff_t>(read->offset);
      base::ByteBuffer part(at, at + static_cast<std::ptrdiff_t>(read->count));
      later({}, [this, part = std::move(part)] { machine_step(tftp::FileRead{part}); });
    } else if (auto* write = std::get_if<tftp::WriteFile>(&action)) {
      machine_bytes_.append(write->bytes.begin(), write->bytes.end());
      later({}, [this] { machine_step(tftp::FileWritten{}); });
    } else if (std::holds_alternative<tftp::CommitFile>(action)) {
      later({}, [this] { machine_step(tftp::FileCommitted{}); });
    } else if (auto* ended = std::get_if<tftp::Ended>(&action)) {
      const bool complete = ended->how == tftp::Ended::How::kComplete;
      if (habits_.write || !complete) client_done_ = true;
      result_.client_complete = complete;
      if (!habits_.write) result_.client_bytes = machine_bytes_;
    }
  }
  if (machine_->done()) client_done_ = true;
}

}  // namespace vantro::fakes
