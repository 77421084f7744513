#include "desk/backup_reports.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <unordered_map>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "crypto/digests.h"
#include "repository/stored_text.h"
#include "text/line_diff.h"

namespace vantro::desk {

using backup::FileKind;
using backup::Revision;
using base::Kind;

namespace {

// A backup that is a little late is not overdue: a tenth of the interval, at least half
// an hour.
constexpr std::int64_t kLeastGrace = 30 * 60'000;

// A file that has lost most of its usual size: the device wrote it while it was
// restarting, say.
bool shrunk(std::uint64_t size, const std::optional<std::uint64_t>& usual) {
  return size == 0 || (usual && size < *usual / 2);
}

std::int64_t grace_of(std::int64_t every) { return std::max(every / 10, kLeastGrace); }

}  // namespace

base::Outcome<Revision> BackupReports::find(const std::string& holder,
                                            const std::string& name,
                                            std::optional<std::int64_t> number) const {
  const auto whose = repository_.inventory.holder(holder);
  if (!whose) return base::refuse(whose.error());
  const auto sound = base::visible_name(name);
  if (!sound) return base::refuse(sound.error());
  return repository_.backups.find(*whose, *sound, number);
}

base::Outcome<std::string> BackupReports::only_name(const std::string& holder) const {
  const auto whose = repository_.inventory.holder(holder);
  if (!whose) return base::refuse(whose.error());
  const auto files = repository_.backups.overview(*whose);
  if (!files) return base::refuse(files.error());
  std::vector<std::string> names;
  std::string all;
  for (const auto& one : *files) {
    all += fmt::format("{}'{}'", all.empty() ? "" : ", ", base::printable(one.name, 80));
    if (one.kind == FileKind::kConfiguration) names.push_back(one.name);
  }
  if (names.size() == 1) return names.front();
  if (files->size() == 1) return files->front().name;
  if (files->empty()) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format(
            "nothing was ever received from '{}'; 'vantro backup list' shows all files",
            base::printable(whose->name, 80)));
  }
  return base::refuse(Kind::kInvalid, fmt::format("say which file of {}: {}",
                                                  base::printable(whose->name, 80), all));
}

base::Outcome<std::string> BackupReports::differing_image(
    const std::string& name, const std::string& sha256) const {
  for (const auto& one : {name, std::string(base::last_part(name))}) {
    const auto image = repository_.catalog.named(one);
    if (!image) return base::refuse(image.error());
    if (!*image) continue;
    if ((*image)->digests.sha256 == sha256) return std::string();
    return fmt::format("differs from the image of that name, '{}'", (*image)->name);
  }
  return std::string();
}

base::Outcome<Recognition> BackupReports::recognise(const Revision& revision) const {
  Recognition result;
  if (!revision.complete) return result;
  const auto& catalog = repository_.catalog;
  const auto identical = catalog.with_content(revision.digests.sha256);
  if (!identical) return base::refuse(identical.error());
  if (*identical) {
    const auto& image = **identical;
    result.what = Recognition::What::kIdentical;
    result.image = image.name;
    result.vouching = catalog::word(image.vouching);
    result.sentence =
        fmt::format("identical to image '{}', {}", image.name, result.vouching);
    return result;
  }
  if (revision.kind != FileKind::kImage) return result;
  const auto other = differing_image(revision.name, revision.digests.sha256);
  if (!other) return base::refuse(other.error());
  if (!other->empty()) {
    result.what = Recognition::What::kOtherBytes;
    result.image = base::last_part(revision.name);
    result.sentence = *other;
    return result;
  }
  const auto alike = catalog.with_size(revision.size);
  if (!alike) return base::refuse(alike.error());
  if (!alike->empty()) {
    result.what = Recognition::What::kSameSize;
    result.image = alike->front().name;
    result.sentence = fmt::format(
        "the size of image '{}', but other bytes: damaged on the device or on the way, "
        "or changed",
        result.image);
    return result;
  }
  result.what = Recognition::What::kUnknownImage;
  result.sentence =
      "an image that the catalogue does not know; 'vantro backup adopt' takes it in";
  return result;
}

base::Outcome<std::string> BackupReports::caution(const Revision& revision) const {
  if (!revision.finding.empty()) return revision.finding;
  if (!revision.complete) return std::string();
  const auto files = repository_.backups.overview(revision.holder);
  if (!files) return base::refuse(files.error());
  for (const auto& file : *files) {
    // The revisions before the newest give the usual size.
    if (file.file != revision.file || !shrunk(revision.size, file.usual_size)) continue;
    if (!file.usual_size) return std::string("it is empty (0 bytes)");
    return fmt::format("it has {}, and this file usually has {}",
                       base::size_text(revision.size), base::size_text(*file.usual_size));
  }
  return std::string();
}

backup::Mask BackupReports::mask(const std::string& platform, bool secrets) const {
  auto rules =
      secrets ? backup::SecretRules() : repository_.rules.treatment.secrets(platform);
  return {std::move(rules),
          [key = repository_.mark_key](std::string_view secret) -> std::string {
            // With an unknown key, so that guessing leads nowhere.
            crypto::Digester digester;
            digester.update(base::as_bytes(key));
            digester.update(base::as_bytes(secret));
            return digester.finish().sha256.substr(0, 4);
          }};
}

namespace {

// The same text in the place of each secret, so that nothing is revealed about it.
backup::Mask blind(backup::SecretRules rules) {
  return {std::move(rules), [](std::string_view) { return std::string(); }};
}

std::string masked_whole(const std::string& text, backup::Mask mask) {
  std::string result;
  for (const auto line : text::lines_of(text)) result += mask.line(line) + "\n";
  return result;
}

}  // namespace

base::Outcome<std::string> BackupReports::shown_text(const Revision& revision,
                                                     bool secrets) const {
  auto text = repository::read_stored_text(repository_, revision);
  if (!text || secrets) return text;
  auto masked = mask(repository_.inventory.platform_of(revision.holder), false);
  std::string result;
  for (const auto line : text::lines_of(*text)) result += masked.line(line) + "\n";
  return result;
}

base::Outcome<SecretsFound> BackupReports::secrets_in(const Revision& revision) const {
  // Neither a configuration nor text: an image, say.
  if (!revision.text && revision.kind != FileKind::kConfiguration) return SecretsFound{};
  const auto text = repository::read_stored_text(repository_, revision);
  if (!text) return base::refuse(text.error());
  auto masked = mask(repository_.inventory.platform_of(revision.holder), false);
  for (const auto line : text::lines_of(*text)) masked.line(line);
  return SecretsFound{masked.masked(), masked.doubtful()};
}

base::Outcome<Compared> BackupReports::side(const Revision& revision) const {
  Compared side;
  side.title = fmt::format("revision {} of '{}' from {}, {}", revision.number,
                           base::printable(revision.name, 80), revision.holder.name,
                           base::local_time(revision.arrived_at));
  auto text = repository::read_stored_text(repository_, revision);
  if (!text) return base::refuse(text.error());
  side.text = std::move(*text);
  side.platform = repository_.inventory.platform_of(revision.holder);
  side.revision = revision;
  return side;
}

backup::Comparison BackupReports::compare(const Compared& before, const Compared& after,
                                          bool secrets, std::size_t context) const {
  const auto& treatment = repository_.rules.treatment;
  const auto& platform = after.platform.empty() ? before.platform : after.platform;
  const auto left_out = treatment.left_out(platform);
  // Within one device's revisions of one name, a changed secret may be visible. Compared
  // with another text, equal secrets would tell the writer of that text that a guess in
  // it was right.
  const bool one_file = before.revision && after.revision &&
                        before.revision->holder == after.revision->holder &&
                        before.revision->name == after.revision->name;
  if (secrets || one_file) {
    return backup::compare(before.text, after.text, left_out,
                           mask(before.platform, secrets), mask(after.platform, secrets),
                           context);
  }
  auto comparison = backup::compare(
      masked_whole(before.text, blind(treatment.secrets(before.platform))),
      masked_whole(after.text, blind(treatment.secrets(after.platform))), left_out,
      blind(backup::SecretRules()), blind(backup::SecretRules()), context);
  comparison.same_bytes = false;
  comparison.without_secrets = true;
  return comparison;
}

std::vector<Expectation> BackupReports::expectations(
    const std::vector<backup::FileOverview>& files,
    const std::vector<fleet::Device>& devices,
    const std::vector<fleet::Site>& sites) const {
  std::map<std::string, std::int64_t> of_site;
  for (const auto& one : sites) of_site.emplace(base::folded(one.name), one.backup_every);
  std::unordered_map<std::int64_t, base::WallTime> seen;
  for (const auto& one : files) {
    // A received image says nothing about the configuration.
    if (one.holder.device == 0 || one.number == 0 || one.kind == FileKind::kImage) {
      continue;
    }
    auto& last = seen[one.holder.device];
    last = std::max(last, one.seen_at);
  }
  const auto now = repository_.clock.wall();
  std::vector<Expectation> result;
  for (const auto& device : devices) {
    const auto site = of_site.find(base::folded(device.site));
    const auto every =
        device.backup_every.value_or(site == of_site.end() ? 0 : site->second);
    if (every == 0) continue;
    Expectation one{device.name, device.site, every, 0, device.made_at, false};
    if (const auto found = seen.find(device.id); found != seen.end()) {
      one.seen_at = found->second;
    }
    const auto last = one.seen_at == 0 ? one.since : one.seen_at;
    one.overdue = now - last > every + grace_of(every);
    result.push_back(std::move(one));
  }
  return result;
}

base::Outcome<std::vector<Expectation>> BackupReports::expectations() const {
  const auto files = repository_.backups.overview();
  if (!files) return base::refuse(files.error());
  const auto devices = repository_.devices.all();
  if (!devices) return base::refuse(devices.error());
  const auto sites = repository_.devices.sites();
  if (!sites) return base::refuse(sites.error());
  return expectations(*files, *devices, *sites);
}

base::Outcome<BackupOverview> BackupReports::overview(base::WallTime since) const {
  auto files = repository_.backups.overview();
  if (!files) return base::refuse(files.error());
  const auto devices = repository_.devices.all();
  if (!devices) return base::refuse(devices.error());
  const auto sites = repository_.devices.sites();
  if (!sites) return base::refuse(sites.error());
  const auto changes = repository_.backups.changes_since(since);
  if (!changes) return base::refuse(changes.error());
  const std::unordered_map<std::int64_t, std::int64_t> counts(changes->begin(),
                                                              changes->end());
  BackupOverview result;
  result.expected = expectations(*files, *devices, *sites);
  result.files.reserve(files->size());
  for (auto& file : *files) {
    FileState state;
    if (const auto found = counts.find(file.file); found != counts.end()) {
      state.changes = found->second;
    }
    state.shrunk = file.number != 0 && shrunk(file.size, file.usual_size);
    state.doubt = file.finding;
    if (state.doubt.empty() && file.kind == FileKind::kImage && file.number != 0) {
      const auto other = differing_image(file.name, file.sha256);
      if (!other) return base::refuse(other.error());
      state.doubt = *other;
    }
    state.file = std::move(file);
    result.files.push_back(std::move(state));
  }
  return result;
}

base::Outcome<ChangeReport> BackupReports::report(base::WallTime from, base::WallTime to,
                                                  bool secrets,
                                                  std::size_t context) const {
  auto& backups = repository_.backups;
  ChangeReport report{from, to, {}, {}};
  const auto arrived = backups.arrived(from, to);
  if (!arrived) return base::refuse(arrived.error());
  std::map<std::int64_t, FileReport> files;
  for (const auto& one : *arrived) {
    auto& file = files[one.file];
    file.holder = one.last.holder;
    file.name = one.last.name;
    file.revisions = one.revisions;
    file.first = one.first;
    // Interrupted ones are listed only if nothing complete arrived.
    file.after = one.last;
  }
  const auto overview = backups.overview();
  if (!overview) return base::refuse(overview.error());
  for (const auto& one : *overview) {
    if (one.number == 0 || one.seen_at < from || one.seen_at >= to) continue;
    auto& file = files[one.file];
    file.holder = one.holder;
    file.name = one.name;
  }
  for (auto& [id, file] : files) {
    const auto before = backups.complete_before(id, from);
    if (!before) return base::refuse(before.error());
    file.before = *before;
    // New in that period, and changed since: compared with its first revision.
    if (!file.before && file.first && file.first->id != file.after->id) {
      file.before = file.first;
    }
    using What = FileReport::What;
    if (file.after && !file.after->good()) {
      file.what = What::kBrokeOff;
    } else if (!file.before) {
      file.what = What::kFirst;
    } else if (file.after && file.after->digests.sha256 != file.before->digests.sha256) {
      file.what = What::kChanged;
      const auto a = side(*file.before);
      const auto b = side(*file.after);
      if (a && b) {
        file.comparison = compare(*a, *b, secrets, context);
        if (file.comparison->same) file.what = What::kUnchanged;
      } else {
        file.note = a ? b.error().sentence : a.error().sentence;
      }
    }
    report.files.push_back(std::move(file));
  }
  std::sort(report.files.begin(), report.files.end(), [](const auto& a, const auto& b) {
    return std::tie(a.holder.name, a.name) < std::tie(b.holder.name, b.name);
  });
  auto expected = expectations();
  if (!expected) return base::refuse(expected.error());
  for (auto& one : *expected) {
    if (one.overdue) report.overdue.push_back(std::move(one));
  }
  return report;
}

}  // namespace vantro::desk
