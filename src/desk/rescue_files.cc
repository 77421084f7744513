#include "desk/rescue_files.h"

#include <algorithm>
#include <fmt/format.h>
#include <optional>

#include "base/visible_name.h"
#include "catalog/catalog.h"
#include "desk/images.h"

namespace vantro::desk {
namespace {

namespace rescue = jobs::rescue;

void replace(std::string& text, std::string_view what, const std::string& with) {
  for (auto at = text.find(what); at != std::string::npos;
       at = text.find(what, at + with.size())) {
    text.replace(at, what.size(), with);
  }
}

bool has_placeholder(const std::string& name) {
  return name.find("{device}") != std::string::npos ||
         name.find("{serial}") != std::string::npos ||
         name.find("{link}") != std::string::npos;
}

// A name that a device asks for, and its image.
struct Wanted {
  std::string name;
  std::string device;
};

std::vector<Wanted> names_of(const rescue::File& file, const std::string& device,
                             const std::vector<Guest>& guests) {
  if (!has_placeholder(file.name)) return {{file.name, device}};
  std::vector<Wanted> names;
  for (const auto& guest : guests) {
    const auto whose = guest.device.empty() ? device : guest.device;
    Wanted one{file.name, whose};
    replace(one.name, "{device}", whose);
    replace(one.name, "{serial}", guest.serial);
    replace(one.name, "{link}", guest.link ? guest.link->text() : std::string());
    names.push_back(std::move(one));
  }
  return names;
}

class Finder {
 public:
  Finder(const repository::Repository& repository, const rescue::Profile& profile,
         std::string image, std::string text)
      : repository_(repository),
        profile_(profile),
        image_(std::move(image)),
        text_(std::move(text)) {}

  base::Outcome<void> add(const rescue::File& file, const Wanted& wanted,
                          RescueFiles& to) {
    rescue::FileFacts facts;
    facts.name = wanted.name;
    facts.role = file.role;
    rescue::GivenName given;
    given.name = wanted.name;
    base::Outcome<void> done;
    switch (file.gives) {
      case rescue::Gives::kImage:
        done = image(file, facts, given);
        break;
      case rescue::Gives::kBackup:
        done = backup(wanted, facts, given);
        break;
      case rescue::Gives::kText:
        text(facts, given);
        break;
    }
    if (!done) return done;
    facts.stands_for = given.stands_for;
    facts.size = given.size;
    const auto sound = base::visible_name(wanted.name);
    if (!sound) facts.trouble = sound.error().sentence;
    if (sound) given.name = *sound;
    facts.other_name = other_spelling(wanted.name);
    if (facts.trouble.empty()) to.names.push_back(std::move(given));
    to.facts.push_back(std::move(facts));
    return {};
  }

 private:
  // On offer under a name that differs in letter case only.
  std::string other_spelling(const std::string& name) const {
    const auto near = repository_.offer_index()->find(
        name, {base::Address::v4(0x7f000001), "tftp", repository_.clock.wall()});
    if (!near || (*near)->name == name) return "";
    return (*near)->name;
  }

  base::Outcome<void> image(const rescue::File& file, rescue::FileFacts& facts,
                            rescue::GivenName& given) const {
    std::optional<catalog::Image> found;
    const bool last = &file == &profile_.files.back();
    const auto& wanted = last && !image_.empty() ? image_ : file.image;
    if (!wanted.empty()) {
      auto named = find_image(repository_, wanted);
      if (!named) {
        facts.trouble = base::in_full(named.error());
        facts.advice = "add it with 'vantro image add FILE'";
        return {};
      }
      found = std::move(*named);
    } else {
      catalog::Filter filter;
      if (!profile_.platform.empty()) filter.facts["platform"] = profile_.platform;
      if (!file.role.empty()) filter.facts["role"] = file.role;
      const auto listing = repository_.catalog.list(filter);
      if (!listing) return base::refuse(listing.error());
      // Without a version, the one that was added last.
      bool newest = false;
      for (const auto& one : listing->images) {
        if (one.image.withdrawal || !one.image.whole) continue;
        const bool better =
            !found || (one.newest && !newest) ||
            (one.newest == newest && one.image.taken_in_at > found->taken_in_at);
        if (!better) continue;
        found = one.image;
        newest = one.newest;
      }
      if (!found) {
        facts.trouble =
            fmt::format("no image for the platform '{1}' has the role '{0}'",
                        file.role.empty() ? "any" : file.role, profile_.platform);
        facts.advice =
            fmt::format("vantro image add FILE --platform {} --role {}",
                        profile_.platform, file.role.empty() ? "system" : file.role);
        return {};
      }
    }
    if (found->withdrawal) {
      facts.trouble =
          fmt::format("'{}' was withdrawn: {}", found->name, found->withdrawal->why);
    } else if (!found->whole) {
      facts.trouble = fmt::format("'{}' is damaged on the server's disk", found->name);
      facts.advice = "add the same file again: 'vantro image add FILE'";
    } else if (!file.role.empty() && found->facts.role != file.role) {
      facts.trouble = fmt::format(
          "'{}' has the role '{}', and the device needs '{}'", found->name,
          found->facts.role.empty() ? "not known" : found->facts.role, file.role);
      facts.advice =
          fmt::format("vantro image change {} --role {}", found->name, file.role);
    } else if (!profile_.platform.empty() && !found->facts.platforms.empty() &&
               std::none_of(found->facts.platforms.begin(), found->facts.platforms.end(),
                            [&](const auto& one) {
                              return base::folded(one) == base::folded(profile_.platform);
                            })) {
      facts.trouble =
          fmt::format("'{}' is for {}, and the device is a {}", found->name,
                      fmt::join(found->facts.platforms, ", "), profile_.platform);
    }
    given.stands_for = found->name;
    given.sha256 = found->digests.sha256;
    given.size = found->size;
    return {};
  }

  base::Outcome<void> backup(const Wanted& wanted, rescue::FileFacts& facts,
                             rescue::GivenName& given) const {
    if (wanted.device.empty()) {
      facts.trouble = "it gives the device's backup, but the device is not named";
      facts.advice = "name it: 'vantro rescue open DEVICE', or --link-address MAC=DEVICE";
      return {};
    }
    const auto holder = repository_.inventory.holder(wanted.device);
    if (!holder) {
      facts.trouble = base::in_full(holder.error());
      return {};
    }
    const auto revisions = repository_.backups.revisions(*holder);
    if (!revisions) return base::refuse(revisions.error());
    const backup::Revision* newest = nullptr;
    for (const auto& one : *revisions) {
      if (!one.complete || !one.whole || one.kind != backup::FileKind::kConfiguration) {
        continue;
      }
      if (newest == nullptr || one.arrived_at > newest->arrived_at) newest = &one;
    }
    if (newest == nullptr) {
      facts.trouble = fmt::format("{} has no backup of a configuration", wanted.device);
      facts.advice = fmt::format("vantro backup list {}", wanted.device);
      return {};
    }
    given.stands_for = fmt::format("backup of {}: '{}', revision {}", wanted.device,
                                   newest->name, newest->number);
    given.sha256 = newest->digests.sha256;
    given.size = newest->size;
    given.backup = true;
    return {};
  }

  void text(rescue::FileFacts& facts, rescue::GivenName& given) const {
    if (text_.empty()) {
      facts.trouble = "it gives a text, but none was given";
      facts.advice = "give it with --file FILE";
      return;
    }
    given.stands_for = "the text that was given";
    given.content = text_;
    given.size = text_.size();
  }

  const repository::Repository& repository_;
  const rescue::Profile& profile_;
  const std::string image_, text_;
};

}  // namespace

base::Outcome<RescueFiles> rescue_files(const repository::Repository& repository,
                                        const rescue::Profile& profile,
                                        const std::string& device,
                                        const std::vector<Guest>& guests,
                                        const std::string& image,
                                        const std::string& text) {
  RescueFiles files;
  Finder finder(repository, profile, image, text);
  for (const auto& file : profile.files) {
    const auto wanted = names_of(file, device, guests);
    if (wanted.empty()) {
      rescue::FileFacts facts;
      facts.name = file.name;
      facts.trouble = "its name depends on the device, but no device is named";
      facts.advice = "--link-address MAC=DEVICE, or --serial SERIAL=DEVICE";
      files.facts.push_back(std::move(facts));
    }
    for (const auto& one : wanted) {
      if (auto added = finder.add(file, one, files); !added) {
        return base::refuse(added.error());
      }
    }
  }
  return files;
}

}  // namespace vantro::desk
