#include "gate/intake.h"

#include <algorithm>
#include <cerrno>
#include <fmt/format.h>
#include <unistd.h>
#include <utility>

#include "base/visible_name.h"
#include "catalog/offers.h"
#include "catalog/vouches.h"
#include "gate/workings.h"
#include "gate/write_sink.h"

namespace vantro::gate {

using base::Kind;
using base::Refusal;

base::Outcome<catalog::Facts> facts_given(const IntakeOptions& options) {
  catalog::Facts facts;
  for (const auto& [fact, text] : options.facts) {
    if (auto set = catalog::set_fact(facts, fact, text); !set) {
      return base::refuse(set.error());
    }
  }
  return facts;
}

ImageIntake::ImageIntake(Workings& workings, IntakeOptions options, catalog::Facts facts,
                         store::Arrival arrival, Transfer transfer)
    : workings_(&workings),
      options_(std::move(options)),
      facts_(std::move(facts)),
      arrival_(std::move(arrival)),
      transfer_(std::move(transfer)) {
  need(options_.claims);
}

ImageIntake::ImageIntake(ImageIntake&& other) noexcept
    : workings_(other.workings_),
      options_(std::move(other.options_)),
      facts_(std::move(other.facts_)),
      announced_(std::move(other.announced_)),
      open_(std::exchange(other.open_, false)),
      arrival_(std::move(other.arrival_)),
      digests_(std::move(other.digests_)),
      form_(other.form_),
      differing_(std::move(other.differing_)),
      transfer_(std::move(other.transfer_)) {}

ImageIntake::~ImageIntake() {
  if (open_) fail(State::kFailed, "the upload was interrupted");
}

base::Outcome<void> ImageIntake::stopped() const {
  if (!options_.stop || !options_.stop()) return {};
  return base::refuse(Kind::kBusy, "the server is being stopped");
}

base::Outcome<void> ImageIntake::write(base::ByteView bytes) {
  auto written = stopped();
  if (written) written = transfer_.arrive(bytes.size());
  if (written) written = arrival_.write(bytes);
  if (written) {
    transfer_.advance({arrival_.size(), 0, 0});
  } else {
    fail(State::kFailed, written.error().sentence);
  }
  return written;
}

void ImageIntake::nothing_came() {
  // A stalled transfer is one whose peer has left two questions unanswered.
  transfer_.advance({arrival_.size(), 0, 2});
}

void ImageIntake::fail(State how, const std::string& why) {
  if (!std::exchange(open_, false)) return;
  arrival_.discard();
  transfer_.end(how, why);
}

base::Outcome<void> ImageIntake::describe(IntakeOptions options) {
  auto facts = facts_given(options);
  if (!facts) return base::refuse(facts.error());
  facts_ = std::move(*facts);
  options.name = options_.name;
  options.size = options_.size;
  options.by = options_.by;
  options_ = std::move(options);
  need(options_.claims);
  return {};
}

void ImageIntake::need(const std::vector<Claim>& claims) {
  for (const auto& claim : claims) arrival_.need({claim.expected});
}

void ImageIntake::add_claims(const std::vector<Claim>& claims) {
  options_.claims.insert(options_.claims.end(), claims.begin(), claims.end());
  need(claims);
}

void ImageIntake::expect(const std::vector<crypto::Expected>& announced) {
  announced_.insert(announced_.end(), announced.begin(), announced.end());
  arrival_.need(announced);
}

base::Outcome<void> ImageIntake::compare_announced() {
  if (auto there = arrival_.add_missing(digests_, announced_); !there) return there;
  const auto wrong = gate::differing(digests_, announced_);
  if (!wrong) return {};
  differing_ = *wrong;
  return base::refuse(differs(digests_, *wrong));
}

base::Outcome<void> ImageIntake::compare() {
  if (auto same = compare_announced(); !same) return same;
  std::vector<crypto::Expected> claimed;
  for (const auto& claim : options_.claims) claimed.push_back(claim.expected);
  if (auto there = arrival_.add_missing(digests_, claimed); !there) return there;
  for (const auto& claim : options_.claims) {
    const auto& expected = claim.expected;
    if (crypto::value_of(digests_, expected.algorithm) == expected.hex) continue;
    differing_ = expected;
    return base::refuse(
        Kind::kMismatch,
        fmt::format("the {} checksum of the file differs from the expected one; nothing "
                    "was added",
                    crypto::title(expected.algorithm)));
  }
  return {};
}

base::Outcome<std::string> ImageIntake::text() const {
  const auto file = arrival_.open_for_reading();
  if (!file) return base::refuse(file.error());
  std::string text(std::min<std::uint64_t>(arrival_.size(), crypto::kLongestList + 1),
                   '\0');
  for (std::size_t at = 0; at < text.size();) {
    const auto got =
        ::pread(file->get(), text.data() + at, text.size() - at, static_cast<off_t>(at));
    if (got < 0 && errno == EINTR) continue;
    if (got <= 0) return base::refuse(base::system_refusal(errno, "it can't be read"));
    at += static_cast<std::size_t>(got);
  }
  return text;
}

base::Outcome<crypto::FileForm> ImageIntake::finish() {
  if (form_) return *form_;
  auto digests = arrival_.seal();
  if (!digests) return base::refuse(digests.error());
  digests_ = std::move(*digests);
  form_ = crypto::FileForm::kOther;
  if (arrival_.size() <= crypto::kLongestList) {
    const auto all = text();
    if (!all) return base::refuse(all.error());
    form_ = crypto::form_of(*all);
  }
  return *form_;
}

base::Outcome<void> ImageIntake::keep_otherwise(
    const std::string& sentence,
    const std::function<base::Outcome<void>(db::Transaction&)>& keep) {
  auto entry = workings_->entry_of(transfer_.completed(arrival_.size(), digests_.sha256));
  entry.sentence = sentence;
  auto kept = workings_->repository.database->write(
      [&](db::Transaction& t) -> base::Outcome<void> {
        if (auto done = keep(t); !done) return done;
        ledger::Ledger::record(t, entry);
        return {};
      });
  if (!kept) {
    fail(State::kFailed, kept.error().sentence);
    return kept;
  }
  open_ = false;
  arrival_.discard();
  transfer_.end_unrecorded(State::kComplete, "");
  return {};
}

base::Outcome<void> ImageIntake::is_an_image() const {
  const auto shown = base::printable(options_.name, 120);
  if (arrival_.size() == 0) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is empty (0 bytes); nothing was added", shown));
  }
  if (options_.despite_findings) return {};
  const auto named = crypto::form_by_name(options_.name);
  if (*form_ == crypto::FileForm::kOther && named != crypto::FileForm::kOther) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' has the name of {}, but not the content; nothing was added. If "
                    "it is an image, use another name, or add it with --despite-findings",
                    shown, crypto::title(named)));
  }
  if (*form_ == crypto::FileForm::kOther) return {};
  return base::refuse(
      Kind::kInvalid,
      fmt::format("'{}' is {}, not an image; nothing was added. Compare an image with a "
                  "checksum list by 'vantro image vouch IMAGE --list FILE'",
                  shown, crypto::title(*form_)));
}

base::Outcome<void> ImageIntake::look_inside(Taken& taken, const HaveRead& have_read) {
  const auto file = arrival_.open_for_reading();
  if (!file) return base::refuse(file.error());
  taken.inside =
      workings_->look_inside(file->get(), arrival_.size(), {options_.stop, have_read});
  if (auto go_on = stopped(); !go_on) return go_on;
  const bool bad = taken.inside.verdict == probe::Verdict::kCutShort ||
                   taken.inside.verdict == probe::Verdict::kDamaged;
  if (!bad || options_.despite_findings) return {};
  return base::refuse(
      Kind::kInvalid,
      fmt::format("'{}' ({}) is {}; nothing was added. Fetch it again from its maker; if "
                  "it is as it should be, add it with --despite-findings",
                  options_.name, taken.inside.kind, taken.inside.findings.front()));
}

// From the name first, then from the names inside the file.
void ImageIntake::take_suggestions(Taken& taken) {
  const auto config = workings_->config();
  const auto& recognisers = config->recognisers;
  taken.suggestions = catalog::suggestions(recognisers, options_.name);
  for (const auto& [where, name] : taken.inside.names) {
    for (auto& one : catalog::suggestions(recognisers, name)) {
      const auto known = std::find_if(taken.suggestions.begin(), taken.suggestions.end(),
                                      [&](const auto& s) { return s.fact == one.fact; });
      if (known != taken.suggestions.end() && (one.guessed || !known->guessed)) continue;
      if (known != taken.suggestions.end()) taken.suggestions.erase(known);
      one.origin = one.guessed
                       ? fmt::format("guessed from its content ({})", where)
                       : fmt::format("content, {}{}", where, one.origin.substr(4));
      taken.suggestions.push_back(std::move(one));
    }
  }
  if (!options_.take_suggestions) return;
  for (const auto& one : taken.suggestions) {
    // An empty fact was cleared by a person, and stays empty.
    if (options_.facts.contains(one.fact)) continue;
    if (!catalog::fact(facts_, one.fact).empty()) continue;
    (void)catalog::set_fact(facts_, one.fact, one.text);  // it was tried before
    if (one.guessed) facts_.guessed.push_back(one.fact);
  }
}

// Known facts stay, and so does an offer: somebody relies on them.
void ImageIntake::note_what_stays(Taken& taken) const {
  const auto& known = taken.added.image;
  for (const auto& [fact, text] : options_.facts) {
    catalog::Facts given;
    (void)catalog::set_fact(given, fact, text);  // it was tried before
    const auto stays = catalog::fact(known.facts, fact);
    if (catalog::fact(given, fact) == stays) continue;
    taken.not_done.push_back(fmt::format(
        "its {0} stays '{1}', as it was known; to change it: vantro image change "
        "{2} --{0} {3}",
        fact, stays, known.name, text));
  }
  if (options_.hold && known.offered) {
    taken.not_done.push_back(fmt::format(
        "it stays on offer; to take it off: vantro image withdraw {} --reason "
        "REASON",
        known.name));
  }
}

base::Outcome<void> ImageIntake::file(db::Transaction& transaction, catalog::Image image,
                                      Taken& taken) {
  auto added = catalog::Catalog::add(transaction, std::move(image));
  if (!added) return base::refuse(added.error());
  taken.added = std::move(*added);
  auto& known = taken.added.image;
  const auto now = workings_->clock.wall();
  catalog::Catalog::set_inside(transaction, known.id, taken.inside);
  if (options_.record_claims) {
    for (const auto& claim : options_.claims) {
      catalog::Vouch vouch;
      vouch.at = now;
      vouch.who = options_.by.name;
      vouch.source = claim.source;
      vouch.expected = claim.expected;
      vouch.signer = claim.signer;
      const auto done = catalog::Vouches::add(transaction, known, std::move(vouch));
      if (!done) return base::refuse(done.error());
    }
  }
  if (known.in_doubt()) {
    if (auto back = catalog::Catalog::take_back_withdrawal(transaction, known); !back) {
      return back;
    }
    known.withdrawal.reset();
    taken.settled = true;
  }
  if (taken.added.what != catalog::Added::What::kNew) note_what_stays(taken);
  if (options_.hold) return {};
  if (known.withdrawal) {
    taken.note = "it was withdrawn: " + known.withdrawal->why;
    return {};
  }
  const auto under_name = catalog::Offers::standing_under(transaction, options_.name);
  const auto standing =
      std::find_if(under_name.begin(), under_name.end(),
                   [](const catalog::Offer& one) { return !one.network; });
  const bool stands = standing != under_name.end();
  if (stands && standing->image.id != known.id) {
    taken.note = fmt::format(
        "the name '{}' belongs to '{}'; point it at this image with 'vantro offer "
        "change'",
        options_.name, standing->image.name);
    return {};
  }
  taken.offer = options_.name;
  if (stands) return {};
  catalog::Offer offer;
  offer.name = options_.name;
  offer.image = known;
  offer.since = now;
  if (auto made = catalog::Offers::add(transaction, std::move(offer)); !made) {
    return base::refuse(made.error());
  }
  return {};
}

std::string ImageIntake::sentence(const Taken& taken) const {
  using What = catalog::Added::What;
  std::string text;
  switch (taken.added.what) {
    case What::kNew:
      text = "added";
      break;
    case What::kNewName:
      text = fmt::format("another name of '{}'", taken.added.image.name);
      break;
    case What::kAlreadyThere:
      text = "known already";
      break;
  }
  text += taken.offer.empty() && !taken.added.image.offered ? ", held" : ", on offer";
  for (const auto& claim : options_.claims) {
    text += fmt::format("; {} as expected", crypto::title(claim.expected.algorithm));
  }
  if (taken.inside.verdict > probe::Verdict::kWhole) {
    text += "; taken despite: " + taken.inside.findings.front();
  }
  return text;
}

base::Outcome<Taken> ImageIntake::commit(const HaveRead& have_read) {
  const auto refused = [&](const Refusal& refusal) {
    fail(State::kFailed, refusal.sentence);
    return base::refuse(refusal);
  };
  if (const auto form = finish(); !form) return refused(form.error());
  if (auto same = compare(); !same) return refused(same.error());
  if (auto is_one = is_an_image(); !is_one) return refused(is_one.error());
  catalog::Image image;
  image.name = options_.name;
  image.size = arrival_.size();
  image.digests = digests_;
  image.taken_in_by = options_.by.name;
  // Checked again inside the transaction; here it prevents an unknown file.
  const auto named = workings_->repository.catalog.named(image.name);
  if (!named) return refused(named.error());
  if (const auto& known = *named;
      known && known->digests.sha256 != digests_.sha256 && !known->in_doubt()) {
    return refused(catalog::name_taken(*known));
  }
  Taken taken;
  taken.compared = !options_.claims.empty();
  if (auto sound = look_inside(taken, have_read); !sound) return refused(sound.error());
  take_suggestions(taken);
  image.facts = facts_;
  image.taken_in_at = workings_->clock.wall();
  if (auto ended = workings_->repository.end_expired_offers(); !ended)
    return refused(ended.error());
  auto view = transfer_.completed(image.size, digests_.sha256);
  view.total = image.size;
  auto entry = workings_->entry_of(view);
  auto filed = workings_->repository.filing.file(
      arrival_,
      [&](db::Transaction& t) -> base::Outcome<void> {
        t.acting(options_.by.name);
        if (auto done = file(t, image, taken); !done) return done;
        entry.sentence = sentence(taken);
        ledger::Ledger::record(t, entry);
        return {};
      },
      image.taken_in_at);
  if (!filed) return refused(filed.error());
  open_ = false;
  transfer_.end_unrecorded(State::kComplete, "");
  if (auto fresh = workings_->repository.catalog.named(options_.name); fresh && *fresh) {
    taken.added.image = std::move(**fresh);
  }
  if (!taken.offer.empty()) {
    // The rules' judgement of the image as it is now.
    if (auto why = workings_->repository.offer_index()->held_back(taken.added.image);
        !why.empty()) {
      taken.note = "it " + why;
      taken.offer.clear();
    }
  }
  return taken;
}

}  // namespace vantro::gate
