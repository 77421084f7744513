#include "manage/backup_routes.h"

#include <fmt/format.h>

#include "api/operations.h"
#include "base/base64.h"
#include "base/counted.h"
#include "base/numbers.h"
#include "base/visible_name.h"
#include "desk/backup_reports.h"
#include "desk/backups.h"
#include "manage/convert_backups.h"
#include "manage/convert_catalogue.h"
#include "manage/values.h"
#include "text/content.h"

namespace vantro::manage {
namespace {

// In one answer.
constexpr std::size_t kMostRevisions = 2000;

using base::Kind;

constexpr std::int64_t kDay = 86'400'000;

// Whether to show secrets: asked for, and by a caller who may; that goes into the ledger.
base::Outcome<bool> secrets(Service& service, const Call& call, const std::string& wanted,
                            const std::string& what) {
  if (wanted != "shown") return false;
  if (!call.caller.powers.has(auth::Right::kSecrets)) {
    return base::refuse(
        Kind::kDenied,
        fmt::format("'{0}' may not see secrets; an administrator can give the right: "
                    "vantro person change {0} --rights secrets",
                    call.caller.name));
  }
  service.repository.record_event("secrets-read", call.caller.by(), "", what);
  return true;
}

// In the ledger's form.
std::string title(const backup::Revision& revision) {
  return fmt::format("{}/{} revision {}", revision.holder.name, revision.name,
                     revision.number);
}

// For every operation about one.
base::Outcome<backup::Revision> revision_for(Service& service, const auto& asked) {
  return desk::BackupReports(service.repository)
      .find(asked.holder, asked.name, asked.revision);
}

// For a list in portions: FILE.NUMBER, from the previous answer.
base::Outcome<std::optional<backup::Place>> place(const std::string& text) {
  if (text.empty()) return std::nullopt;
  const auto dot = text.find('.');
  const auto file = base::parse_number<std::int64_t>(text.substr(0, dot));
  const auto number = dot == std::string::npos
                          ? std::nullopt
                          : base::parse_number<std::int64_t>(text.substr(dot + 1));
  if (!file || !number) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("after: '{}' is not a place that 'next' named",
                                    base::printable(text, 40)));
  }
  return backup::Place{*file, *number};
}

base::Outcome<api::BackupPage> backups(Service& service, const Call&,
                                       const api::BackupsAsked& asked) {
  std::optional<backup::Holder> holder;
  std::optional<std::string> name;
  if (!asked.holder.empty()) {
    auto found = service.repository.inventory.holder(asked.holder);
    if (!found) return base::refuse(found.error());
    holder = std::move(*found);
    if (!asked.name.empty()) {
      auto sound = base::visible_name(asked.name);
      if (!sound) return base::refuse(sound.error());
      name = std::move(*sound);
    }
  }
  const auto behind = place(asked.after);
  if (!behind) return base::refuse(behind.error());
  const auto revisions =
      service.repository.backups.portion(holder, name, *behind, kMostRevisions);
  if (!revisions) return base::refuse(revisions.error());
  const desk::BackupReports reports(service.repository);
  api::BackupPage page;
  page.backups.reserve(revisions->size());
  for (const auto& one : *revisions) {
    auto shown = shape(one);
    if (one.kind == backup::FileKind::kImage) {
      const auto known = reports.recognise(one);
      if (!known) return base::refuse(known.error());
      shown.recognised = known->sentence;
      shown.image = known->image;
    }
    page.backups.push_back(std::move(shown));
  }
  if (revisions->size() == kMostRevisions) {
    const auto& last = revisions->back();
    page.next = fmt::format("{}.{}", last.file, last.number);
  }
  return page;
}

base::Outcome<api::Backup> backup_info(Service& service, const Call&,
                                       const api::RevisionAsked& asked) {
  const auto revision = revision_for(service, asked);
  if (!revision) return base::refuse(revision.error());
  const desk::BackupReports reports(service.repository);
  const auto known = reports.recognise(*revision);
  if (!known) return base::refuse(known.error());
  auto shown = shape(*revision);
  shown.recognised = known->sentence;
  shown.image = known->image;
  const auto caution = reports.caution(*revision);
  if (!caution) return base::refuse(caution.error());
  shown.caution = *caution;
  // A text that cannot be read through counts as one with secrets: it is not handed out.
  if (const auto found = reports.secrets_in(*revision)) {
    shown.secrets = found->masked;
    shown.doubtful = found->doubtful;
  }
  return shown;
}

base::Outcome<Content> backup_content(Service& service, const Call& call,
                                      const api::SecretsAsked& asked) {
  const auto revision = revision_for(service, asked);
  if (!revision) return base::refuse(revision.error());
  const auto all = secrets(service, call, asked.secrets, title(*revision));
  if (!all) return base::refuse(all.error());
  if (!*all) {
    const auto found = desk::BackupReports(service.repository).secrets_in(*revision);
    if (!found) {
      return base::refuse(
          Kind::kDenied,
          fmt::format("'{}' can't be searched for secrets ({}); ask for it as if it had "
                      "some: '--with-secrets', ?secrets=shown",
                      base::printable(revision->name, 80), found.error().sentence));
    }
    if (const auto hidden = found->masked; hidden > 0) {
      return base::refuse(
          Kind::kDenied,
          fmt::format("'{}' has {}; ask for it with them "
                      "('--with-secrets', ?secrets=shown), or with them masked "
                      "('--masked', .../text)",
                      base::printable(revision->name, 80),
                      base::counted(hidden, "secret")));
    }
  }
  service.repository.record_event("backup-save", call.caller.by(), "", title(*revision));
  const auto& folder = service.repository.folder;
  if (revision->complete) {
    auto file = folder.open_stored(revision->digests.sha256, revision->size);
    if (!file) return base::refuse(file.error());
    return Content{std::move(*file), revision->size, revision->digests.sha256};
  }
  if (revision->partial_file.empty()) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format("revision {} was interrupted, and its bytes were kept only for "
                    "some days",
                    revision->number));
  }
  auto file = folder.open_partial(revision->partial_file);
  if (!file) return base::refuse(file.error());
  return Content{std::move(*file), revision->size, {}};
}

base::Outcome<std::string> backup_text(Service& service, const Call& call,
                                       const api::SecretsAsked& asked) {
  const auto revision = revision_for(service, asked);
  if (!revision) return base::refuse(revision.error());
  const auto all = secrets(service, call, asked.secrets, title(*revision));
  if (!all) return base::refuse(all.error());
  return desk::BackupReports(service.repository).shown_text(*revision, *all);
}

base::Outcome<api::BackupOverview> overview(Service& service, const Call&,
                                            const api::OverviewAsked& asked) {
  api::BackupOverview result;
  result.days = asked.days;
  const auto found = desk::BackupReports(service.repository)
                         .overview(service.clock.wall() - result.days * kDay);
  if (!found) return base::refuse(found.error());
  for (const auto& one : found->files) result.files.push_back(shape(one));
  for (const auto& one : found->expected) result.expected.push_back(shape(one));
  return result;
}

base::Outcome<api::Overdue> overdue(Service& service, const Call&, const api::Nothing&) {
  const auto expected = desk::BackupReports(service.repository).expectations();
  if (!expected) return base::refuse(expected.error());
  api::Overdue result;
  result.expected_of = expected->size();
  for (const auto& one : *expected) {
    if (one.overdue) result.overdue.push_back(shape(one));
  }
  return result;
}

base::Outcome<api::ChangeReport> report(Service& service, const Call& call,
                                        const api::ReportAsked& asked) {
  const auto now = service.clock.wall();
  const auto from = time_of(asked.from);
  if (!from) return base::refuse(from.error());
  const auto to = time_of(asked.to);
  if (!to) return base::refuse(to.error());
  const auto begin = from->value_or(now - kDay);
  const auto end = to->value_or(now);
  if (begin >= end) {
    return base::refuse(Kind::kInvalid, "the report must begin before it ends");
  }
  const auto all = secrets(service, call, asked.secrets, "backup report");
  if (!all) return base::refuse(all.error());
  const auto made =
      desk::BackupReports(service.repository)
          .report(begin, end, *all, static_cast<std::size_t>(asked.context));
  if (!made) return base::refuse(made.error());
  return shape(*made);
}

// The missing side: the complete one before the other.
base::Outcome<backup::Revision> one_before(Service& service,
                                           const backup::Revision& revision) {
  const auto all = service.repository.backups.revisions(revision.holder, revision.name);
  if (!all) return base::refuse(all.error());
  for (auto one = all->rbegin(); one != all->rend(); ++one) {
    if (one->complete && one->number < revision.number) return *one;
  }
  return base::refuse(
      Kind::kNotFound,
      fmt::format("there is no complete revision of '{}' from {} before revision {}",
                  base::printable(revision.name, 80), revision.holder.name,
                  revision.number));
}

base::Outcome<api::Compared> compared(Service& service, const Call& call,
                                      const auto& asked,
                                      const base::Outcome<desk::Compared>& before,
                                      const base::Outcome<desk::Compared>& after) {
  if (!before) return base::refuse(before.error());
  if (!after) return base::refuse(after.error());
  const auto all =
      secrets(service, call, asked.secrets, before->title + " and " + after->title);
  if (!all) return base::refuse(all.error());
  const desk::BackupReports reports(service.repository);
  return api::Compared{shape(*before), shape(*after),
                       shape(reports.compare(*before, *after, *all,
                                             static_cast<std::size_t>(asked.context)))};
}

// The wanted file: without a name, the only configuration.
base::Outcome<std::string> name_of(const desk::BackupReports& reports,
                                   const auto& asked) {
  if (!asked.name.empty()) return asked.name;
  return reports.only_name(asked.holder);
}

base::Outcome<api::Compared> compare(Service& service, const Call& call,
                                     const api::CompareAsked& asked) {
  const desk::BackupReports reports(service.repository);
  const auto named = name_of(reports, asked);
  if (!named) return base::refuse(named.error());
  const auto& name = *named;
  if (!asked.other.empty()) {
    auto other_name = asked.other_name;
    if (other_name.empty()) {
      // The same name if it exists, else the only configuration.
      const auto same = reports.find(asked.other, name, {});
      auto only =
          same ? base::Outcome<std::string>(name) : reports.only_name(asked.other);
      if (!only) return base::refuse(only.error());
      other_name = std::move(*only);
    }
    const auto one = reports.find(asked.holder, name, asked.before);
    if (!one) return base::refuse(one.error());
    const auto two = reports.find(asked.other, other_name, asked.after);
    if (!two) return base::refuse(two.error());
    return compared(service, call, asked, reports.side(*one), reports.side(*two));
  }
  const auto newer = reports.find(asked.holder, name, asked.after);
  if (!newer) return base::refuse(newer.error());
  const auto older = asked.before ? reports.find(asked.holder, name, asked.before)
                                  : one_before(service, *newer);
  if (!older) return base::refuse(older.error());
  return compared(service, call, asked, reports.side(*older), reports.side(*newer));
}

// A revision against a given text.
base::Outcome<api::Compared> compare_with(Service& service, const Call& call,
                                          const api::CompareWithAsked& asked,
                                          const api::TextGiven& given) {
  auto text = given.text;
  if (!given.base64.empty()) {
    // Configurations are in any encoding, JSON in one.
    const auto bytes = base::parse_base64(given.base64);
    if (!bytes) return base::refuse(Kind::kInvalid, "'base64' is not base64");
    text = base::as_text(*bytes);
  }
  text::ContentTeller content;
  content.update(base::as_bytes(text));
  if (!content.is_text()) {
    return base::refuse(Kind::kInvalid, fmt::format("'{}' is not a text",
                                                    base::printable(given.title, 80)));
  }
  const desk::BackupReports reports(service.repository);
  const auto name = name_of(reports, asked);
  if (!name) return base::refuse(name.error());
  const auto revision = reports.find(asked.holder, *name, asked.revision);
  if (!revision) return base::refuse(revision.error());
  desk::Compared other{base::printable(given.title, 200),
                       {},
                       text,
                       service.repository.inventory.platform_of(revision->holder)};
  return compared(service, call, asked, reports.side(*revision), other);
}

base::Outcome<api::Backup> pin(Service& service, const Call& call,
                               const api::RevisionAsked& asked,
                               const api::PinWanted& given) {
  const auto revision = revision_for(service, asked);
  if (!revision) return base::refuse(revision.error());
  desk::Backups changes(service.repository, service.gate, call.caller);
  const auto done =
      given.pinned ? changes.pin(*revision, given.why) : changes.unpin(*revision);
  if (!done) return base::refuse(done.error());
  return backup_info(service, call, asked);
}

base::Outcome<api::BackupOffer> offer(Service& service, const Call& call,
                                      const api::RevisionAsked& asked,
                                      const api::BackupOfferWanted& given) {
  const auto until = time_of(given.until);
  if (!until) return base::refuse(until.error());
  desk::OfferWish wish;
  wish.name = given.name;
  wish.to = given.to;
  wish.until = *until;
  const auto revision = revision_for(service, asked);
  if (!revision) return base::refuse(revision.error());
  const auto made =
      desk::Backups(service.repository, service.gate, call.caller).offer(*revision, wish);
  if (!made) return base::refuse(made.error());
  const auto caution = desk::BackupReports(service.repository).caution(*revision);
  if (!caution) return base::refuse(caution.error());
  auto shown = shape(*made);
  shown.caution = *caution;
  return shown;
}

base::Outcome<api::BackupOfferList> offers(Service& service, const Call&,
                                           const api::Nothing&) {
  const auto standing = service.repository.backup_offers.standing(service.clock.wall());
  if (!standing) return base::refuse(standing.error());
  api::BackupOfferList result;
  for (const auto& one : *standing) result.offers.push_back(shape(one));
  return result;
}

base::Outcome<api::BackupOfferEnded> end_offer(Service& service, const Call& call,
                                               const api::Named& asked) {
  const auto ended =
      desk::Backups(service.repository, service.gate, call.caller).end_offer(asked.name);
  if (!ended) return base::refuse(ended.error());
  return api::BackupOfferEnded{asked.name, *ended};
}

base::Outcome<api::ImageAdded> adopt(Service& service, const Call& call,
                                     const api::RevisionAsked& asked,
                                     const api::AdoptWanted& given) {
  gate::IntakeOptions options;
  options.name = given.name;
  options.hold = given.hold;
  options.despite_findings = given.despite_findings;
  options.facts = api::given_texts(given);
  std::erase_if(options.facts, [](const auto& one) { return one.second.empty(); });
  const auto revision = revision_for(service, asked);
  if (!revision) return base::refuse(revision.error());
  const auto taken = desk::Backups(service.repository, service.gate, call.caller)
                         .adopt(*revision, std::move(options));
  if (!taken) return base::refuse(taken.error());
  return shape(*taken, true, *service.repository.offer_index());
}

base::Outcome<api::ThinnedOut> thin_out(Service& service, const Call& call,
                                        const api::Nothing&,
                                        const api::ThinWanted& given) {
  const auto done = desk::Backups(service.repository, service.gate, call.caller)
                        .thin_out(given.really, given.from);
  if (!done) return base::refuse(done.error());
  return shape(*done);
}

}  // namespace

void backup_routes(Routes& routes) {
  routes.add(api::kBackups, backups);
  routes.add(api::kBackupOverview, overview);
  routes.add(api::kBackupOverdue, overdue);
  routes.add(api::kBackupReport, report);
  routes.add(api::kCompareBackups, compare);
  routes.add_slow(api::kThinOutBackups, thin_out);
  routes.add(api::kBackupOffers, offers);
  routes.add(api::kEndBackupOffer, end_offer);
  routes.add(api::kBackup, backup_info);
  routes.add(api::kBackupContent, backup_content);
  routes.add(api::kBackupText, backup_text);
  routes.add(api::kCompareBackupWith, compare_with);
  routes.add(api::kPinBackup, pin);
  routes.add(api::kOfferBackup, offer);
  routes.add_slow(api::kAdoptBackup, adopt);
}

}  // namespace vantro::manage
