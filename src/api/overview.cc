#include "api/overview.h"

namespace vantro::api {

template <>
const Shape& shape_of<FindAsked>() {
  using T = FindAsked;
  static const Shape shape =
      ShapeOf<T>("FindAsked", "what is looked for")
          .field<&T::text>("text", "part of a name, an address or a checksum")
          .needed()
          .field<&T::limit>("limit", "at most so many of each kind")
          .range(1, 100)
          .done();
  return shape;
}

template <>
const Shape& shape_of<Found>() {
  using T = Found;
  static const Shape shape = ShapeOf<T>("Found", "a match for the text")
                                 .field<&T::kind>("kind", "what it is")
                                 .choices({"image", "device", "address"})
                                 .field<&T::name>("name", "its name")
                                 .field<&T::detail>("detail", "a description, or empty")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<FoundList>() {
  using T = FoundList;
  static const Shape shape =
      ShapeOf<T>("FoundList", "the matches for the text")
          .field<&T::found>("found", "checksums first, then devices, then images")
          .done();
  return shape;
}

template <>
const Shape& shape_of<PlatformAsked>() {
  using T = PlatformAsked;
  static const Shape shape = ShapeOf<T>("PlatformAsked", "of which platform")
                                 .field<&T::platform>("platform", "empty: of all")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<Platform>() {
  using T = Platform;
  static const Shape shape = ShapeOf<T>("Platform", "a platform that images are for")
                                 .field<&T::platform>("platform", "its name")
                                 .field<&T::images>("images", "number of images")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<PlatformList>() {
  using T = PlatformList;
  static const Shape shape = ShapeOf<T>("PlatformList", "the platforms of the catalogue")
                                 .field<&T::platforms>("platforms", "by name")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<ReleaseLine>() {
  using T = ReleaseLine;
  static const Shape shape =
      ShapeOf<T>("ReleaseLine", "the images of one platform, role and release line")
          .field<&T::platform>("platform", "empty: unknown")
          .field<&T::role>("role", "of the images")
          .field<&T::line>("line", "its name; empty: unknown")
          .field<&T::images>("images", "number of images, including withdrawn ones")
          .field<&T::newest>("newest",
                             "name of the newest that is not withdrawn, or empty")
          .field<&T::version>("version", "of the newest")
          .done();
  return shape;
}

template <>
const Shape& shape_of<LineList>() {
  using T = LineList;
  static const Shape shape = ShapeOf<T>("LineList", "the release lines of the catalogue")
                                 .field<&T::lines>("lines", "by platform, role and line")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<Setting>() {
  using T = Setting;
  static const Shape shape =
      ShapeOf<T>("Setting", "a setting in force")
          .field<&T::name>("name", "as in the file: tftp.threads")
          .field<&T::value>("value", "as in the file; empty: it is not set")
          .field<&T::usual>("usual", "its default")
          .field<&T::unit>("unit", "of the value, or empty")
          .field<&T::meaning>("meaning", "its meaning")
          .field<&T::reloadable>("reloadable", "a reload applies it; else a restart does")
          .done();
  return shape;
}

template <>
const Shape& shape_of<SettingList>() {
  using T = SettingList;
  static const Shape shape =
      ShapeOf<T>("SettingList", "the settings in force")
          .field<&T::file>("file", "the file; empty: none")
          .field<&T::settings>("settings", "in the order of the file")
          .done();
  return shape;
}

template <>
const Shape& shape_of<LoadAsked>() {
  using T = LoadAsked;
  static const Shape shape =
      ShapeOf<T>("LoadAsked", "of which time")
          .field<&T::minutes>("minutes", "before now")
          .range(1, 1440)
          .field<&T::samples>("samples",
                              "at most so many; each combines several if there are more")
          .range(1, 2000)
          .done();
  return shape;
}

template <>
const Shape& shape_of<LoadSample>() {
  using T = LoadSample;
  static const Shape shape =
      ShapeOf<T>("LoadSample", "how busy the server was for some seconds")
          .field<&T::at>("at", "their end", Unit::kTime)
          .field<&T::running>("running", "transfers; the most of them")
          .field<&T::out>("out", "sent to devices", Unit::kBytesPerSecond)
          .field<&T::in>("in", "received", Unit::kBytesPerSecond)
          .field<&T::refused>("refused", "requests of devices")
          .field<&T::disk_free>("disk_free", "free space on the disk", Unit::kBytes)
          .field<&T::memory>("memory", "of the server", Unit::kBytes)
          .done();
  return shape;
}

template <>
const Shape& shape_of<Load>() {
  using T = Load;
  static const Shape shape =
      ShapeOf<T>("Load", "how busy the server was")
          .field<&T::samples>("samples",
                              "the oldest first; a day at most, since the server's start")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Interface>() {
  using T = Interface;
  static const Shape shape =
      ShapeOf<T>("Interface", "a network interface of the server")
          .field<&T::name>("name", "the system's name for it")
          .field<&T::up>("up", "it is switched on")
          .field<&T::carrier>("carrier",
                              "a cable is plugged in, with something at its other end")
          .field<&T::link_address>("link_address", "such as 02:00:5e:10:00:01")
          .field<&T::addresses>("addresses", "IPv4, with the length of the prefix")
          .done();
  return shape;
}

template <>
const Shape& shape_of<InterfaceList>() {
  using T = InterfaceList;
  static const Shape shape =
      ShapeOf<T>("InterfaceList", "the Ethernet interfaces of the server")
          .field<&T::interfaces>("interfaces", "by name")
          .done();
  return shape;
}

}  // namespace vantro::api
