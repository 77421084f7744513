#include "repository/reports.h"

#include <fmt/format.h>

#include "base/visible_name.h"
#include "fleet/devices.h"

namespace vantro::repository {
namespace {

// The inventory's field, and the listing's value.
void settle(ReportRead& read, fleet::Device& device, const char* field,
            std::string fleet::Device::*member, const std::string& said) {
  auto& known = device.*member;
  if (said.empty() || base::folded(said) == base::folded(known)) return;
  if (known.empty()) {
    if (auto set = fleet::set_field(device, field, said); !set) {
      read.doubts.push_back(set.error().sentence);
    }
    return;
  }
  read.doubts.push_back(
      fmt::format("{}: the inventory says {}, the device says {}; "
                  "nothing was changed",
                  field, known, said));
}

}  // namespace

ReportRead read_report(db::Transaction& t, const text::ReportReader& reader,
                       std::int64_t id, const std::string& text,
                       const fleet::Origin& origin, bool really) {
  ReportRead read;
  auto device = fleet::Devices::with_id(t, id);
  if (!device) return read;
  read.device = device->name;
  auto found = reader.read(text, device->platform);
  auto learnt = fleet::learn(found, origin);
  read.not_understood = std::move(found.not_understood);
  read.doubts = std::move(learnt.wrong);
  const auto before = device->platform + "\n" + device->hardware;
  settle(read, *device, "platform", &fleet::Device::platform, learnt.platform);
  settle(read, *device, "hardware", &fleet::Device::hardware, learnt.hardware);
  read.learnt = std::move(learnt.values);
  if (read.learnt.empty() && device->platform + "\n" + device->hardware == before) {
    return read;
  }
  for (const auto& one : read.learnt) device->state.set(one);
  if (!really) return read;
  device->changed_at = origin.at;
  // Name and addresses are unchanged, so nothing can be in the way.
  if (auto changed = fleet::Devices::change(t, *device); !changed) {
    read.doubts.push_back(changed.error().sentence);
  }
  return read;
}

}  // namespace vantro::repository
