#include "mirror/source.h"

#include <algorithm>
#include <charconv>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "base/wildcard.h"
#include "catalog/image.h"
#include "catalog/offers.h"
#include "mirror/tables.h"
#include "repository/change_log.h"
#include "text/version.h"

namespace vantro::mirror {
namespace {

std::string text_in(const Columns& columns, const char* name) {
  const auto found = columns.find(name);
  return found == columns.end() ? std::string() : found->second;
}

std::int64_t number_in(const Columns& columns, const char* name) {
  const auto text = text_in(columns, name);
  std::int64_t number = 0;
  std::from_chars(text.data(), text.data() + text.size(), number);
  return number;
}

const char* word(Urgency urgency) {
  switch (urgency) {
    case Urgency::kJob:
      return "job";
    case Urgency::kNamed:
      return "named";
    case Urgency::kLine:
      return "line";
    case Urgency::kPlatform:
      return "platform";
  }
  return "";
}

std::vector<std::string> all_folded(std::vector<std::string> texts) {
  for (auto& one : texts) one = base::folded(one);
  return texts;
}

bool has(const std::vector<std::string>& list, const std::string& text) {
  return std::find(list.begin(), list.end(), text) != list.end();
}

}  // namespace

Record record_of(const Wanted& wanted) {
  return {{{"size", std::to_string(wanted.size)},
           {"name", wanted.name},
           {"urgency", word(wanted.urgency)},
           {"why", wanted.why},
           {"due", std::to_string(wanted.due)},
           {"platforms", wanted.platforms}},
          {}};
}

base::Outcome<Wanted> wanted_of(const Key& key, const Record& record) {
  Wanted wanted;
  wanted.sha256 = key.row;
  const auto size = number_in(record.columns, "size");
  // It becomes the name of a file.
  const bool is_sha256 =
      key.row.size() == 64 &&
      key.row.find_first_not_of("0123456789abcdef") == std::string::npos;
  if (!is_sha256 || size < 0) {
    return base::refuse(base::Kind::kCorrupt, "the record of a content is damaged");
  }
  wanted.size = static_cast<std::uint64_t>(size);
  wanted.name = text_in(record.columns, "name");
  wanted.why = text_in(record.columns, "why");
  wanted.due = number_in(record.columns, "due");
  wanted.platforms = text_in(record.columns, "platforms");
  const auto urgency = text_in(record.columns, "urgency");
  // A word of a newer headquarters is the least urgent.
  for (const auto one : {Urgency::kJob, Urgency::kNamed, Urgency::kLine}) {
    if (urgency == word(one)) wanted.urgency = one;
  }
  return wanted;
}

std::shared_ptr<const Source> Source::read(db::Transaction& transaction) {
  auto source = std::make_shared<Source>();
  source->sequence_ = repository::ChangeLog::last(transaction);
  const auto rows = [&](const char* table, const std::string& where = "",
                        const std::vector<db::Value>& values = {}) {
    return rows_of(transaction, *find_table(table), where, values);
  };
  // What an offer names, and what one named until it was withdrawn: devices are told why.
  static const std::string kImages =
      "in (select image from offers where ended_at is null or why = :w)";
  static const std::vector<db::Value> kWithdrawn{catalog::kImageWithdrawn};
  std::map<std::int64_t, Columns> images;
  for (auto& [key, columns] : rows("images", "where id " + kImages, kWithdrawn)) {
    auto& image = source->images_[number_in(columns, "id")];
    image.sha256 = text_in(columns, "sha256");
    image.name = text_in(columns, "name");
    image.size = static_cast<std::uint64_t>(number_in(columns, "size"));
    image.platforms = text_in(columns, "platforms");
    image.folded = all_folded(catalog::split_lines(image.platforms));
    auto line = text_in(columns, "line");
    if (line.empty()) line = text::Version(text_in(columns, "version")).line();
    image.line = base::folded(line);
    image.withdrawn = columns.contains("withdrawn_at");
    source->by_content_.emplace(image.sha256, number_in(columns, "id"));
    image.rows.emplace_back(key, dated(key, {std::move(columns), {image.sha256}}));
  }
  for (const auto& row : transaction.query("select id from images where whole = 0")) {
    const auto found = source->images_.find(row.integer(0));
    if (found != source->images_.end()) found->second.whole = false;
  }
  for (const auto* table : {"image_names", "image_platforms", "vouches"}) {
    for (auto& [key, columns] : rows(table, "where image " + kImages, kWithdrawn)) {
      const auto found = source->images_.find(number_in(columns, "image"));
      if (found == source->images_.end()) continue;
      auto& image = found->second;
      image.rows.emplace_back(key, dated(key, {std::move(columns), {image.sha256}}));
    }
  }
  for (auto& [key, columns] :
       rows("offers",
            "where ended_at is null or (why = :w and id = (select max(o.id) from offers "
            "o where o.name = offers.name))",
            kWithdrawn)) {
    const auto image = number_in(columns, "image");
    const auto found = source->images_.find(image);
    if (found == source->images_.end()) continue;
    if (!columns.contains("ended_at")) found->second.standing = true;
    auto name = base::folded(text_in(columns, "name"));
    source->offers_.push_back(
        {std::move(name),
         image,
         {key, dated(key, {std::move(columns), {found->second.sha256}})}});
  }
  std::map<std::int64_t, Kit> kits;
  for (auto& [key, columns] : rows("kits")) {
    auto& kit = kits[number_in(columns, "id")];
    kit.name = base::folded(text_in(columns, "name"));
    kit.rows.emplace_back(key, dated(key, {std::move(columns), {}}));
  }
  for (auto& [key, columns] : rows("kit_parts")) {
    auto& kit = kits[number_in(columns, "kit")];
    kit.images.push_back(number_in(columns, "image"));
    kit.rows.emplace_back(key, dated(key, {std::move(columns), {}}));
  }
  for (auto& [id, kit] : kits) {
    // A kit appears at a mirror when all its images are there.
    std::vector<std::string> needs;
    bool known = true;
    for (const auto image : kit.images) {
      const auto found = source->images_.find(image);
      known = known && found != source->images_.end();
      if (known) needs.push_back(found->second.sha256);
    }
    if (!known) continue;
    std::sort(needs.begin(), needs.end());
    for (auto& [key, one] : kit.rows) one = dated(key, {one->record.columns, needs});
    source->kits_.push_back(std::move(kit));
  }
  for (const auto* table : {"accounts", "account_keys", "sites"}) {
    for (auto& [key, columns] : rows(table)) {
      source->common_.emplace_back(key, dated(key, {std::move(columns), {}}));
    }
  }
  for (auto& [key, columns] : rows("devices")) {
    auto& device = source->devices_[number_in(columns, "id")];
    device.name = text_in(columns, "name");
    device.site = base::folded(text_in(columns, "site"));
    device.rows.emplace_back(key, dated(key, {std::move(columns), {}}));
  }
  for (auto& [key, columns] : rows("device_networks")) {
    auto& device = source->devices_[number_in(columns, "device")];
    device.rows.emplace_back(key, dated(key, {std::move(columns), {}}));
  }
  std::map<std::int64_t, Job> jobs;
  for (auto& [key, columns] : rows("jobs", "where state = 'open'")) {
    auto& job = jobs[number_in(columns, "id")];
    job.device = number_in(columns, "device");
    job.due = number_in(columns, "window_from");
    job.rows.emplace_back(key, dated(key, {std::move(columns), {}}));
  }
  for (auto& [key, columns] :
       rows("job_images", "where job in (select id from jobs where state = 'open')")) {
    auto& job = jobs[number_in(columns, "job")];
    job.contents.push_back(text_in(columns, "sha256"));
    job.rows.emplace_back(key, dated(key, {std::move(columns), {}}));
  }
  for (auto& [id, job] : jobs) source->jobs_.push_back(std::move(job));
  return source;
}

std::optional<std::uint64_t> Source::size_of(const std::string& sha256) const {
  const auto found = by_content_.find(sha256);
  if (found == by_content_.end()) return std::nullopt;
  const auto& image = images_.at(found->second);
  if (!image.can_be_fetched()) return std::nullopt;
  return image.size;
}

std::set<std::int64_t> Source::devices_of(const Wants& wants) const {
  const auto sites = all_folded(wants.sites);
  std::set<std::int64_t> devices;
  for (const auto& [id, device] : devices_) {
    if (sites.empty() || has(sites, device.site)) devices.insert(id);
  }
  return devices;
}

Source::Choices Source::chosen(const Wants& wants,
                               const std::set<std::int64_t>& devices) const {
  Choices choices;
  const auto choose = [&](std::int64_t image, Choice choice) {
    const auto [at, fresh] = choices.try_emplace(image, choice);
    auto& known = at->second;
    const bool sooner = choice.due != 0 && (known.due == 0 || choice.due < known.due);
    if (fresh || choice.urgency > known.urgency) return;
    if (choice.urgency < known.urgency || sooner) known = std::move(choice);
  };
  if (wants.jobs) {
    for (const auto& job : jobs_) {
      if (!devices.contains(job.device)) continue;
      const auto device = devices_.find(job.device);
      for (const auto& sha256 : job.contents) {
        const auto image = by_content_.find(sha256);
        if (image == by_content_.end() || device == devices_.end()) continue;
        choose(image->second, {Urgency::kJob, "job of " + device->second.name, job.due});
      }
    }
  }
  const auto patterns = all_folded(wants.offers);
  for (const auto& offer : offers_) {
    for (const auto& pattern : patterns) {
      if (!base::fits_wildcards(pattern, offer.name)) continue;
      choose(offer.image, {Urgency::kNamed, "offer " + pattern, 0});
    }
  }
  const auto wanted_kits = all_folded(wants.kits);
  for (const auto& kit : kits_) {
    if (!has(wanted_kits, kit.name)) continue;
    for (const auto image : kit.images) {
      choose(image, {Urgency::kNamed, "kit " + kit.name, 0});
    }
  }
  const auto lines = all_folded(wants.lines);
  const auto platforms = all_folded(wants.platforms);
  for (const auto& [id, image] : images_) {
    if (wants.everything()) {
      choose(id, {Urgency::kPlatform, "everything on offer", 0});
    }
    for (const auto& platform : image.folded) {
      if (has(lines, platform + " " + image.line)) {
        choose(id, {Urgency::kLine, "line " + platform + " " + image.line, 0});
      }
      if (has(platforms, platform)) {
        choose(id, {Urgency::kPlatform, "platform " + platform, 0});
      }
    }
  }
  return choices;
}

Picture Source::part(const Wants& wants) const {
  Picture picture;
  const auto add = [&](const std::vector<Row>& rows) {
    for (const auto& [key, one] : rows) picture.emplace(key, one);
  };
  const auto devices = devices_of(wants);
  const auto choices = chosen(wants, devices);
  for (const auto& [id, choice] : choices) {
    const auto& image = images_.at(id);
    add(image.rows);
    if (!image.can_be_fetched()) continue;
    const Key key{kContents, image.sha256};
    picture.emplace(
        key, dated(key, record_of({image.sha256, image.size, image.name, choice.urgency,
                                   choice.why, choice.due, image.platforms})));
  }
  for (const auto& offer : offers_) {
    if (choices.contains(offer.image)) add({offer.row});
  }
  for (const auto& kit : kits_) {
    const bool all =
        std::all_of(kit.images.begin(), kit.images.end(),
                    [&](std::int64_t image) { return choices.contains(image); });
    if (all) add(kit.rows);
  }
  add(common_);
  for (const auto id : devices) add(devices_.at(id).rows);
  for (const auto& job : jobs_) {
    if (devices.contains(job.device)) add(job.rows);
  }
  return picture;
}

}  // namespace vantro::mirror
