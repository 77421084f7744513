#include "client/completion.h"

#include <utility>

#include "api/operations.h"

namespace vantro::client {
namespace {

// A person waits with a finger on the key.
constexpr std::int64_t kPatienceMs = 400;
// A longer list does not help in a shell.
constexpr std::int64_t kMost = 2000;

template <class T, class List, class Name>
std::vector<std::string> names_of(const Result<Answered<T>>& answer, List list,
                                  Name name) {
  std::vector<std::string> all;
  if (!answer) return all;
  for (const auto& one : answer->value.*list) all.push_back(one.*name);
  return all;
}

}  // namespace

std::vector<std::string> names_for(const CommandLine& line, const Access& access,
                                   const std::vector<std::string>& words) {
  auto quick = access;
  quick.patience_ms = kPatienceMs;
  const ApiClient api(std::move(quick));
  const auto [word, command] = line.expected(words);
  if (word == "IMAGE" || word == "OTHER" || word == "ARCHIVE") {
    api::ImageFilter filter;
    filter.limit = kMost;
    const auto answer = api.call(api::kImages, filter);
    std::vector<std::string> all;
    if (!answer) return all;
    for (const auto& one : answer->value.images) all.push_back(one.image.name);
    return all;
  }
  if (word == "DEVICE") {
    return names_of(api.call(api::kDevices), &api::DeviceList::devices,
                    &api::Device::name);
  }
  if (word == "SITE") {
    return names_of(api.call(api::kSites), &api::SiteList::sites, &api::Site::name);
  }
  if (word == "PLATFORM") {
    return names_of(api.call(api::kPlatforms), &api::PlatformList::platforms,
                    &api::Platform::platform);
  }
  if (word == "ACCOUNT") {
    return names_of(api.call(api::kAccounts), &api::AccountList::accounts,
                    &api::Account::name);
  }
  if (word == "PERSON") {
    return names_of(api.call(api::kPeople), &api::PersonList::people, &api::Person::name);
  }
  if (word != "NAME") return {};
  if (command.starts_with("offer ")) {
    return names_of(api.call(api::kOffers), &api::OfferList::offers, &api::Offer::name);
  }
  if (command.starts_with("kit ") && command != "kit add") {
    return names_of(api.call(api::kKits), &api::KitList::kits, &api::Kit::name);
  }
  if (command.starts_with("rollout ") && command != "rollout add") {
    return names_of(api.call(api::kRollouts), &api::RolloutList::rollouts,
                    &api::Rollout::name);
  }
  if (command.starts_with("backup offer end")) {
    return names_of(api.call(api::kBackupOffers), &api::BackupOfferList::offers,
                    &api::BackupOffer::name);
  }
  return {};
}

}  // namespace vantro::client
