#include "api/fleet.h"

namespace vantro::api {

template <>
const Shape& shape_of<Device>() {
  using T = Device;
  static const Shape shape =
      ShapeOf<T>("Device", "a device; unknown values are empty")
          .field<&T::name>("name", "its name")
          .field<&T::addresses>("addresses",
                                "its addresses and networks, separated by blanks")
          .field<&T::link_address>("link_address", "such as 02:00:5e:10:00:01")
          .field<&T::maker>("maker", "who made it")
          .field<&T::platform>("platform", "decides which images and which patterns fit")
          .field<&T::hardware>("hardware", "its hardware revision")
          .field<&T::site>("site", "its site")
          .field<&T::remarks>("remarks", "anything else")
          .field<&T::backup_every>("backup_every", "how often a backup is expected")
          .field<&T::quota>("quota", "limit for its stored backups")
          .field<&T::made_at>("made_at", "when it was added", Unit::kTime)
          .field<&T::changed_at>("changed_at", "when its record last changed",
                                 Unit::kTime)
          .field<&T::unclaimed>("unclaimed",
                                "addresses that its backups also came from, and that "
                                "belong to no device; only if a single one is requested")
          .field<&T::running_version>("running_version",
                                      "of its software; the oldest in a stack")
          .field<&T::state>("state", "the state of its software")
          .field<&T::job>("job", "target of its open job")
          .done();
  return shape;
}

template <>
const Shape& shape_of<DeviceList>() {
  using T = DeviceList;
  static const Shape shape = ShapeOf<T>("DeviceList", "the inventory")
                                 .field<&T::devices>("devices", "by name")
                                 .field<&T::in_all>("in_all",
                                                    "all devices, "
                                                    "shown or not")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<DeviceFilter>() {
  using T = DeviceFilter;
  static const Shape shape =
      ShapeOf<T>("DeviceFilter", "which devices")
          .field<&T::text>("text",
                           "anywhere in name, address, link address, site or remarks")
          .field<&T::site>("site", "their site")
          .field<&T::platform>("platform", "their platform")
          .field<&T::limit>("limit", "at most so many (not given: all)")
          .range(1)
          .field<&T::skip>("skip", "leave out the first ones")
          .range(0)
          .done();
  return shape;
}

template <>
const Shape& shape_of<DeviceFields>() {
  using T = DeviceFields;
  static const Shape shape =
      ShapeOf<T>("DeviceFields",
                 "the facts about a device; fields that are not sent stay; an empty text "
                 "clears a field")
          .field<&T::name>("name", "its name; a new one renames it, and its backups stay")
          .field<&T::addresses>(
              "addresses",
              "addresses and networks that it is heard from, separated by commas")
          .field<&T::link_address>("link_address", "such as 02:00:5e:10:00:01")
          .field<&T::maker>("maker", "who made it")
          .field<&T::platform>("platform",
                               "what decides which images and which patterns fit")
          .field<&T::hardware>("hardware", "its hardware revision")
          .field<&T::site>("site", "its site")
          .field<&T::remarks>("remarks", "anything else")
          .field<&T::backup_every>("backup_every",
                                   "how often a backup is expected: daily, weekly, "
                                   "monthly, 12h, 3d, never (default: as its site)")
          .field<&T::quota>("quota", "limit for its stored backups, such as \"500 MiB\"")
          .field<&T::running_version>("running_version", "the running version")
          .field<&T::boot_version>("boot_version", "the version of its boot loader")
          .field<&T::model>("model", "its platform in the device's own words")
          .field<&T::serial>("serial", "its serial number")
          .field<&T::slots>("slots",
                            "the contents of its slots: \"A=IMAGE, B=text\"; slots that "
                            "are not named stay")
          .field<&T::running_slot>("running_slot", "the running slot")
          .field<&T::next_slot>("next_slot", "the slot that starts next")
          .field<&T::once_slot>("once_slot", "the slot that starts once only")
          .field<&T::free>("free",
                           "free space: \"120 MiB\", or \"flash=120 MiB, usb=2 GiB\"")
          .field<&T::own_address>("own_address",
                                  "its own address while it recovers: 192.0.2.7/24")
          .field<&T::mask>("mask", "its mask then")
          .field<&T::gateway>("gateway", "its gateway then")
          .field<&T::recovery_port>("recovery_port", "its physical port then")
          .field<&T::member>("member",
                             "stack member that running_version and the like belong to")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Site>() {
  using T = Site;
  static const Shape shape =
      ShapeOf<T>("Site", "a place with devices")
          .field<&T::name>("name", "its name")
          .field<&T::devices>("devices", "number of devices")
          .field<&T::backup_every>("backup_every",
                                   "how often a backup is expected of them")
          .done();
  return shape;
}

template <>
const Shape& shape_of<SiteList>() {
  using T = SiteList;
  static const Shape shape =
      ShapeOf<T>("SiteList", "the sites").field<&T::sites>("sites", "by name").done();
  return shape;
}

template <>
const Shape& shape_of<SiteSchedule>() {
  using T = SiteSchedule;
  static const Shape shape =
      ShapeOf<T>("SiteSchedule", "how often a backup is expected of a site's devices")
          .field<&T::name>("name", "of the site; only in the answer")
          .field<&T::backup_every>("backup_every",
                                   "daily, weekly, monthly, 12h, 3d or never")
          .done();
  return shape;
}

template <>
const Shape& shape_of<MovedFile>() {
  using T = MovedFile;
  static const Shape shape =
      ShapeOf<T>("MovedFile", "a file whose backups have a new owner")
          .field<&T::name>("name", "its name")
          .field<&T::revisions>("revisions", "its revisions")
          .field<&T::merged>("merged",
                             "with one of the same name: numbered again by time")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Claimed>() {
  using T = Claimed;
  static const Shape shape =
      ShapeOf<T>("Claimed", "what a device got or lost")
          .field<&T::device>("device", "its name")
          .field<&T::files>("files", "files whose revisions moved")
          .field<&T::ledger_rows>("ledger_rows", "rows of the ledger that moved")
          .done();
  return shape;
}

template <>
const Shape& shape_of<AddressGiven>() {
  using T = AddressGiven;
  static const Shape shape =
      ShapeOf<T>("AddressGiven", "an address")
          .field<&T::address>("address", "its backups become the device's")
          .needed()
          .done();
  return shape;
}

template <>
const Shape& shape_of<DeviceTable>() {
  using T = DeviceTable;
  static const Shape shape =
      ShapeOf<T>("DeviceTable", "many devices at once")
          .field<&T::table>("table", "CSV; its first line names the columns")
          .needed()
          .field<&T::really>("really", "false: only report what would change")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Imported>() {
  using T = Imported;
  static const Shape shape =
      ShapeOf<T>("Imported", "the result of an import")
          .field<&T::done>("done", "false: this is only what would change")
          .field<&T::added>("added", "names")
          .field<&T::changed>("changed", "names")
          .field<&T::unchanged>("unchanged", "names")
          .done();
  return shape;
}

}  // namespace vantro::api
