#include "desk/uploads.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "crypto/digests.h"

namespace vantro::desk {

using base::Kind;

const char* word(Uploads::State state) {
  switch (state) {
    case Uploads::State::kReceiving:
      return "receiving";
    case Uploads::State::kFiling:
      return "filing";
    case Uploads::State::kFiled:
      return "filed";
    case Uploads::State::kRefused:
      return "refused";
  }
  return "refused";
}

Uploads::View Uploads::view(const Upload& one) {
  return {one.number, one.name, one.bytes,       one.size,
          one.state,  one.why,  one.looked_bytes};
}

base::Outcome<void> Uploads::receiving(const Upload& one) {
  switch (one.state) {
    case State::kReceiving:
      return {};
    case State::kFiling:
      return base::refuse(Kind::kBusy,
                          fmt::format("upload {} is being filed", one.number));
    case State::kFiled:
      return base::refuse(
          Kind::kExists, fmt::format("upload {} is filed as '{}'", one.number, one.name));
    case State::kRefused:
      break;
  }
  return base::refuse(Kind::kInvalid,
                      fmt::format("upload {} was refused: {}", one.number, one.why));
}

base::Outcome<Uploads::View> Uploads::begin(const Caller& caller,
                                            gate::IntakeOptions options) {
  if (!options.size) {
    return base::refuse(Kind::kInvalid, "size: missing; give the number of bytes");
  }
  {
    const base::Lock lock(mutex_);
    std::size_t open = 0;
    std::size_t own = 0;
    for (const auto& [number, one] : all_) {
      const auto state = one->state.load();
      if (state != State::kReceiving && state != State::kFiling) continue;
      ++open;
      if (one->owner == caller.name) ++own;
    }
    if (open >= kMost || own >= kMostOfOne) {
      return base::refuse(
          Kind::kBusy,
          fmt::format("too many uploads: {} of yours, limit {}; {} of all, limit {}. "
                      "File or drop one first",
                      own, kMostOfOne, open, kMost));
    }
  }
  const auto size = *options.size;
  auto intake = gate_.open_intake(std::move(options));
  if (!intake) return base::refuse(intake.error());
  const auto made = std::make_shared<Upload>();
  made->owner = caller.name;
  made->name = intake->name();
  made->size = size;
  const base::Lock lock(mutex_);
  made->number = ++last_;
  all_.emplace(made->number, made);
  const base::Lock own(made->mutex);
  made->intake.emplace(std::move(*intake));
  made->touched = clock_.now();
  return view(*made);
}

base::Outcome<Uploads::Shared> Uploads::own(const Caller& caller, std::int64_t number) {
  const base::Lock lock(mutex_);
  const auto found = all_.find(number);
  if (found != all_.end() && found->second->owner == caller.name) return found->second;
  return base::refuse(
      Kind::kNotFound,
      fmt::format(
          "unknown upload {}; a restart of the server ends uploads, and so does an "
          "hour without data. Send the file again from its beginning",
          number));
}

base::Outcome<Uploads::View> Uploads::find(const Caller& caller, std::int64_t number) {
  const auto one = own(caller, number);
  if (!one) return base::refuse(one.error());
  const base::Lock lock((*one)->mutex);
  return view(**one);
}

std::vector<Uploads::View> Uploads::list(const Caller& caller) {
  std::vector<Shared> all;
  {
    const base::Lock lock(mutex_);
    for (const auto& [number, one] : all_) {
      if (one->owner == caller.name) all.push_back(one);
    }
  }
  std::vector<View> views;
  for (const auto& one : all) {
    const base::Lock lock(one->mutex);
    views.push_back(view(*one));
  }
  return views;
}

base::Outcome<Uploads::View> Uploads::describe(const Caller& caller, std::int64_t number,
                                               gate::IntakeOptions options) {
  const auto found = own(caller, number);
  if (!found) return base::refuse(found.error());
  auto& one = **found;
  const base::Lock lock(one.mutex);
  if (auto open = receiving(one); !open) return base::refuse(open.error());
  if (auto done = one.intake->describe(std::move(options)); !done) {
    return base::refuse(done.error());
  }
  one.touched = clock_.now();
  return view(one);
}

base::Outcome<Uploads::View> Uploads::append(const Caller& caller, std::int64_t number,
                                             std::uint64_t offset, base::ByteView piece) {
  const auto found = own(caller, number);
  if (!found) return base::refuse(found.error());
  auto& one = **found;
  const base::Lock lock(one.mutex);
  if (auto open = receiving(one); !open) return base::refuse(open.error());
  if (offset != one.bytes) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("cannot add to upload {} at byte {}; resume at {}",
                                    number, offset, one.bytes));
  }
  if (piece.size() > one.size - one.bytes) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("upload {} has {} bytes; this piece would make it {}",
                                    number, one.size, one.bytes + piece.size()));
  }
  if (auto written = one.intake->write(piece); !written) {
    // Its digests no longer match the bytes on disk.
    one.state = State::kRefused;
    one.why = written.error().sentence;
    one.intake.reset();
    return base::refuse(written.error());
  }
  one.bytes += piece.size();
  one.touched = clock_.now();
  return view(one);
}

base::Outcome<Uploads::Filed> Uploads::file(const Caller& caller, std::int64_t number,
                                            const std::string& sent) {
  const auto found = own(caller, number);
  if (!found) return base::refuse(found.error());
  auto& one = **found;
  std::vector<crypto::Expected> announced;
  if (!sent.empty()) {
    auto expected = crypto::Expected::parse(sent);
    if (!expected) return base::refuse(expected.error());
    announced.push_back(std::move(*expected));
  }
  std::optional<gate::ImageIntake> intake;
  {
    const base::Lock lock(one.mutex);
    if (one.filed) return *one.filed;
    if (auto open = receiving(one); !open) return base::refuse(open.error());
    if (one.bytes != one.size) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("upload {} has {} of {} bytes; send the rest first",
                                      number, one.bytes, one.size));
    }
    one.state = State::kFiling;
    one.touched = clock_.now();
    intake.emplace(std::move(*one.intake));
    one.intake.reset();
  }
  intake->expect(announced);
  Filed filed{intake->commit([&one](std::uint64_t read) {
                one.looked_bytes = std::min(read, one.size);
              }),
              intake->differing(), ""};
  if (filed.differing) {
    filed.actual = crypto::value_of(intake->digests(), filed.differing->algorithm);
  }
  intake.reset();
  const base::Lock lock(one.mutex);
  one.touched = clock_.now();
  one.state = filed.taken ? State::kFiled : State::kRefused;
  if (!filed.taken) one.why = filed.taken.error().sentence;
  one.filed = filed;
  // There may be ten thousand of them, for an hour.
  if (one.filed->taken) one.filed->taken->inside.members = {};
  return filed;
}

base::Outcome<void> Uploads::drop(const Caller& caller, std::int64_t number) {
  const auto found = own(caller, number);
  if (!found) return base::refuse(found.error());
  auto& one = **found;
  {
    const base::Lock lock(one.mutex);
    if (one.state == State::kFiling) return receiving(one);
    if (one.intake) {
      one.intake->fail(gate::State::kAbandoned,
                       fmt::format("dropped by {}", caller.name));
      one.intake.reset();
    }
  }
  const base::Lock lock(mutex_);
  all_.erase(number);
  return {};
}

void Uploads::tick() {
  std::vector<Shared> all;
  {
    const base::Lock lock(mutex_);
    for (const auto& [number, one] : all_) all.push_back(one);
  }
  const auto now = clock_.now();
  for (const auto& one : all) {
    {
      const base::Lock lock(one->mutex);
      const auto silent = now - one->touched;
      if (one->intake && silent >= kSilence) one->intake->nothing_came();
      if (silent < kPatience) continue;
      if (one->intake) {
        one->intake->fail(gate::State::kAbandoned,
                          "the upload received nothing for an hour; send the file again");
        one->intake.reset();
      }
    }
    const base::Lock lock(mutex_);
    all_.erase(one->number);
  }
}

}  // namespace vantro::desk
