#include "client/send_image.h"

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <fmt/format.h>
#include <optional>
#include <thread>
#include <unistd.h>

#include "api/operations.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/interrupt.h"
#include "client/progress.h"
#include "client/render.h"
#include "crypto/digests.h"

namespace vantro::client {
namespace {

constexpr std::uint64_t kPiece = std::uint64_t{8} << 20;
// Pauses after a broken connection; then it gives up.
constexpr std::chrono::seconds kPauses[] = {
    std::chrono::seconds(1),  std::chrono::seconds(2),  std::chrono::seconds(5),
    std::chrono::seconds(10), std::chrono::seconds(20), std::chrono::seconds(30)};

Failure stopped(std::uint64_t sent, std::uint64_t size, const char* rest) {
  return {ExitCode::kRefused,
          fmt::format("interrupted after {} of {}; {}", base::size_text(sent),
                      base::size_text(size), rest)};
}

api::UploadDescription description_of(const api::ImageGiven& given) {
  api::UploadDescription told;
  told.expect = given.expect;
  told.source = given.source;
  told.hold = given.hold;
  told.despite_findings = given.despite_findings;
  told.vouch = given.vouch;
  told.suggest = given.suggest;
  told.facts = given.fact;
  return told;
}

class InPieces {
 public:
  InPieces(const Context& context, const OpenedFile& file, const std::string& file_name,
           const api::ImageGiven& given, Progress& bar, std::uint64_t before)
      : context_(context),
        file_(file),
        file_name_(file_name),
        given_(given),
        bar_(bar),
        before_(before) {}

  Result<Answered<api::ImageAdded>> send() {
    const auto begun = begin();
    if (!begun) return tl::unexpected(begun.error());
    number_ = begun->number;
    auto offset = begun->bytes;
    // Bytes that the server has already are read here as well, for the checksum of the
    // whole file.
    if (const auto read = skip(offset); !read) return tl::unexpected(read.error());
    base::ByteBuffer piece(kPiece);
    while (offset < file_.size) {
      if (interrupted()) {
        return tl::unexpected(stopped(
            offset, file_.size, "run the same command again within an hour to resume"));
      }
      const auto count = std::min<std::uint64_t>(kPiece, file_.size - offset);
      if (const auto read = read_whole(piece.data(), count); !read) {
        return tl::unexpected(read.error());
      }
      digest_.update({piece.data(), count});
      const auto arrived = send_piece(offset, {piece.data(), count});
      if (!arrived) return tl::unexpected(arrived.error());
      offset += count;
      bar_.advance(before_ + offset);
    }
    return added(digest_.finish());
  }

 private:
  // An interrupted one of the same name and size is resumed; its description is sent
  // again, as the options may differ.
  Result<api::Upload> begin() {
    const auto open = context_.api.call(api::kUploads);
    if (!open) return tl::unexpected(open.error());
    for (const auto& one : open->value.uploads) {
      if (one.name != given_.name || one.size != file_.size || one.state != "receiving") {
        continue;
      }
      const auto told =
          context_.api.call(api::kDescribeUpload, {one.number}, description_of(given_));
      if (!told) return tl::unexpected(told.error());
      bar_.note(fmt::format("resumes at {}", base::size_text(told->value.bytes)));
      return told->value;
    }
    const auto made = context_.api.call(
        api::kBeginUpload, {}, {given_.name, file_.size, description_of(given_)});
    if (!made) return tl::unexpected(made.error());
    return made->value;
  }

  Done read_whole(unsigned char* to, std::uint64_t count) {
    while (count > 0) {
      const auto got = ::read(file_.fd.get(), to, count);
      if (got < 0 && errno == EINTR) continue;
      if (got < 0) return file_failure(file_name_, errno);
      if (got == 0) return file_failure(file_name_, EIO);  // it became shorter
      to += got;
      count -= static_cast<std::uint64_t>(got);
    }
    return {};
  }

  Done skip(std::uint64_t count) {
    base::ByteBuffer piece(1 << 20);
    while (count > 0) {
      const auto part = std::min<std::uint64_t>(piece.size(), count);
      if (auto read = read_whole(piece.data(), part); !read) return read;
      digest_.update({piece.data(), part});
      count -= part;
    }
    return {};
  }

  // Repeats as often as necessary: bytes of a piece that arrived before the connection
  // broke are not sent again.
  Done send_piece(std::uint64_t offset, base::ByteView piece) {
    std::size_t at = 0;
    for (std::size_t tries = 0;;) {
      std::size_t sent = at;
      const auto done = context_.api.put(
          api::kSendPiece, {number_, offset + at}, piece.size() - at,
          [&](char* to, std::size_t count) -> tl::expected<std::size_t, Failure> {
            const auto part = std::min(count, piece.size() - sent);
            std::copy_n(reinterpret_cast<const char*>(piece.data()) + sent, part, to);
            sent += part;
            bar_.advance(before_ + offset + sent);
            return part;
          });
      if (done) return {};
      if (done.error().code != ExitCode::kNoServer || tries == std::size(kPauses)) {
        return tl::unexpected(done.error());
      }
      bar_.note(fmt::format("interrupted at {}; tries again in {} s",
                            base::size_text(offset + at), kPauses[tries].count()));
      for (auto left = kPauses[tries++] * 10; left.count() > 0 && !interrupted();
           --left) {
        std::this_thread::sleep_for(std::chrono::milliseconds(100));
      }
      if (interrupted()) {
        return tl::unexpected(
            stopped(offset + at, file_.size,
                    "run the same command again within an hour to resume"));
      }
      const auto now = context_.api.call(api::kUpload, {number_});
      if (!now) {
        if (now.error().code == ExitCode::kNoServer) continue;
        return tl::unexpected(now.error());
      }
      if (now->value.bytes < offset || now->value.bytes > offset + piece.size()) {
        return tl::unexpected(Failure{
            ExitCode::kRefused,
            fmt::format("the server has {} of upload {}, which is not where this one "
                        "stopped; send the file again",
                        base::size_text(now->value.bytes), number_)});
      }
      at = static_cast<std::size_t>(now->value.bytes - offset);
      if (at == piece.size()) return {};
    }
  }

  // Everything was sent: the server compares it, looks inside and adds it, which takes up
  // to a minute. If the connection breaks meanwhile, the server goes on.
  Result<Answered<api::ImageAdded>> added(const std::string& sha256) {
    Progress look(context_.view,
                  shown(std::string(base::last_part(file_name_)), 40) + ": looks inside",
                  file_.size);
    const auto show = [&] {
      const auto now = context_.api.call(api::kUpload, {number_});
      if (now) look.advance(now->value.looked_bytes);
      return !interrupted();
    };
    for (std::size_t tries = 0;;) {
      auto done = context_.api.call(api::kFileUpload, {number_}, {sha256}, show);
      if (interrupted()) return tl::unexpected(still_filing());
      if (done || done.error().code != ExitCode::kNoServer) return done;
      // The answer is lost. Once it is filed, asking again gives the same one.
      while (true) {
        if (tries == std::size(kPauses)) return done;
        look.note("no answer; asks again");
        for (auto left = kPauses[tries] * 2; left.count() > 0 && show(); --left) {
          std::this_thread::sleep_for(std::chrono::milliseconds(500));
        }
        if (interrupted()) return tl::unexpected(still_filing());
        const auto now = context_.api.call(api::kUpload, {number_});
        if (!now && now.error().code != ExitCode::kNoServer) {
          return tl::unexpected(now.error());
        }
        if (now && now->value.state != "filing") break;
        if (!now) ++tries;
      }
      ++tries;
    }
  }

  Failure still_filing() const {
    return {ExitCode::kRefused,
            fmt::format("interrupted; all {} were sent, and the server goes on; 'vantro "
                        "image info {}' shows whether the image was added",
                        base::size_text(file_.size), shown(given_.name))};
  }

  const Context& context_;
  const OpenedFile& file_;
  const std::string& file_name_;
  const api::ImageGiven& given_;
  Progress& bar_;
  const std::uint64_t before_;  // bytes of other files
  crypto::Sha256 digest_;
  std::int64_t number_ = 0;
};

Result<Answered<api::ImageAdded>> send_at_once(const Context& context,
                                               const OpenedFile& file,
                                               const std::string& file_name,
                                               const api::ImageGiven& given,
                                               Progress& bar, std::uint64_t before) {
  std::uint64_t sent = 0;
  return context.api.put(
      api::kAddImage, given, file.size,
      [&](char* to, std::size_t count) -> tl::expected<std::size_t, Failure> {
        if (interrupted()) {
          return tl::unexpected(stopped(sent, file.size, "nothing was added"));
        }
        const auto got = ::read(file.fd.get(), to, count);
        if (got < 0) return file_failure(file_name, errno);
        sent += static_cast<std::uint64_t>(got);
        bar.advance(before + sent);
        return static_cast<std::size_t>(got);
      });
}

}  // namespace

Result<Answered<api::ImageAdded>> send_image(const Context& context,
                                             const OpenedFile& file,
                                             const std::string& file_name,
                                             const api::ImageGiven& given, Progress& bar,
                                             std::uint64_t before) {
  notice_interrupts();
  if (file.size < kInPiecesFrom) {
    return send_at_once(context, file, file_name, given, bar, before);
  }
  return InPieces(context, file, file_name, given, bar, before).send();
}

}  // namespace vantro::client
