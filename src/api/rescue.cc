#include "api/rescue.h"

namespace vantro::api {

template <>
const Shape& shape_of<RescueFile>() {
  using T = RescueFile;
  static const Shape shape =
      ShapeOf<T>("RescueFile", "a name that a device without a system requires")
          .field<&T::name>("name",
                           "exactly; {device}, {serial} and {link} mean the device's own")
          .field<&T::gives>("gives", "the kind of content behind it")
          .choices({"image", "backup", "text"})
          .field<&T::image>("image",
                            "by name; empty: the newest of the platform and role")
          .field<&T::role>("role", "that the image must have, or empty")
          .field<&T::when_loaded>(
              "when_loaded", "what to do when the last block is acknowledged, or empty")
          .field<&T::takes>("takes", "how long the device is silent then, or empty")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RescueProfile>() {
  using T = RescueProfile;
  static const Shape shape =
      ShapeOf<T>("RescueProfile", "how to revive one kind of device")
          .field<&T::name>("name", "as in the settings")
          .field<&T::platform>("platform", "of the images")
          .field<&T::way>(
              "way",
              "it asks for an address, calls a fixed server, or waits for the image")
          .choices({"asks", "calls", "waits"})
          .field<&T::server>("server",
                             "the server's address that it calls, with its prefix")
          .field<&T::device>("device", "the device's address or addresses, or empty")
          .field<&T::over>("over", "protocol")
          .field<&T::files>("files", "in the order of the requests")
          .field<&T::begin>("begin", "how to make the device ask")
          .field<&T::shows>("shows", "its lamps and messages meanwhile")
          .field<&T::afterwards>("afterwards", "its address when it runs again, or empty")
          .field<&T::check>("check", "how to test that: ping, tcp PORT, or empty")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RescueProfileList>() {
  using T = RescueProfileList;
  static const Shape shape =
      ShapeOf<T>("RescueProfileList", "the profiles of the settings")
          .field<&T::profiles>("profiles", "in their order")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RescueWanted>() {
  using T = RescueWanted;
  static const Shape shape =
      ShapeOf<T>("RescueWanted", "a new session")
          .field<&T::device>("device", "its name in the inventory, or empty")
          .field<&T::interface>("interface", "the network interface")
          .needed()
          .field<&T::profile>("profile",
                              "by name; empty: the one of the device's platform")
          .field<&T::for_s>("for_s", "how long it may last", Unit::kSeconds)
          .field<&T::link_addresses>("link_addresses",
                                     "whom to serve: MAC, MAC=DEVICE, "
                                     "MAC=DEVICE@ADDRESS; none: the first that asks")
          .field<&T::serials>("serials", "the same by serial numbers")
          .field<&T::any_device>("any_device", "serve every device that asks")
          .field<&T::own_address>(
              "own_address",
              "add the server's address to the interface, and remove it at the end")
          .field<&T::despite_other>(
              "despite_other", "open it even if another address server answers there")
          .field<&T::image>("image", "replaces the profile's last one; empty: does not")
          .field<&T::text>("text", "for a name that gives a text")
          .field<&T::really>("really", "false: only check")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RescueName>() {
  using T = RescueName;
  static const Shape shape =
      ShapeOf<T>("RescueName", "a name on the interface of a session")
          .field<&T::name>("name", "exactly")
          .field<&T::stands_for>("stands_for", "the image, or other content")
          .field<&T::size>("size", "its size", Unit::kBytes)
          .done();
  return shape;
}

template <>
const Shape& shape_of<RescueLine>() {
  using T = RescueLine;
  static const Shape shape =
      ShapeOf<T>("RescueLine", "one event")
          .field<&T::at>("at", "when", Unit::kTime)
          .field<&T::what>(
              "what",
              "address, loading, loaded, interrupted, refused, back, told, closed")
          .field<&T::sentence>("sentence", "for people")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Rescue>() {
  using T = Rescue;
  static const Shape shape =
      ShapeOf<T>("Rescue", "a rescue session")
          .field<&T::number>("number", "its number")
          .field<&T::device>("device", "its name, or empty")
          .field<&T::node>("node", "the node that has the interface; empty: the only one")
          .field<&T::interface>("interface", "the network interface")
          .field<&T::profile>("profile", "its name")
          .field<&T::platform>("platform", "of the profile")
          .field<&T::way>("way", "asks, calls or waits")
          .field<&T::over>("over", "protocol")
          .field<&T::server>("server", "the server's address there, with its prefix")
          .field<&T::opened_at>("opened_at", "when", Unit::kTime)
          .field<&T::opened_by>("opened_by", "who")
          .field<&T::until>("until", "when it ends by itself", Unit::kTime)
          .field<&T::ended_at>("ended_at", "when; empty: it is open", Unit::kTime)
          .field<&T::ended_by>("ended_by", "who")
          .field<&T::ended_why>("ended_why", "why")
          .field<&T::stage>("stage",
                            "waiting, address, refused, loading, interrupted, loaded, "
                            "writing, back or closed")
          .field<&T::large>("large", "the stage, readable from the rack")
          .field<&T::small>("small", "the subject, and what to do")
          .field<&T::percent>("percent", "of the current load")
          .field<&T::since>("since", "when the stage began", Unit::kTime)
          .field<&T::bells>("bells",
                            "how often a stage has begun that people should hear")
          .field<&T::names>("names", "names that devices can ask for on its interface")
          .field<&T::lines>("lines", "the events, in order")
          .field<&T::summary>("summary", "of an ended one")
          .field<&T::undo>("undo", "what people must put back on their own machine")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RescueList>() {
  using T = RescueList;
  static const Shape shape =
      ShapeOf<T>("RescueList", "sessions")
          .field<&T::rescues>("rescues", "newest first, without their lines")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RescueOpened>() {
  using T = RescueOpened;
  static const Shape shape =
      ShapeOf<T>("RescueOpened", "the result of opening")
          .field<&T::opened>("opened",
                             "false: a check stopped it, or it was only a check")
          .field<&T::checks>("checks", "all of them, with what to do")
          .field<&T::rescue>("rescue", "the session")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RescueAsked>() {
  using T = RescueAsked;
  static const Shape shape = ShapeOf<T>("RescueAsked", "which session")
                                 .field<&T::number>("number", "its number")
                                 .needed()
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<PushWanted>() {
  using T = PushWanted;
  static const Shape shape =
      ShapeOf<T>("PushWanted", "an image to send to a device that waits for it")
          .field<&T::image>("image", "by any of its names")
          .needed()
          .field<&T::to>(
              "to",
              "an address, with a port if it is not the usual one; or a device's name")
          .needed()
          .field<&T::name>("name", "the name for the device; empty: the image's")
          .field<&T::over>("over", "the protocol")
          .choices({"tftp", "http", "scp", "sftp"})
          .field<&T::wait_s>("wait_s", "how long to wait until the device listens",
                             Unit::kSeconds)
          .field<&T::block_size>("block_size", "TFTP: of a block", Unit::kBytes)
          .field<&T::window_size>("window_size", "TFTP: blocks for one acknowledgement")
          .field<&T::account>("account", "of the device")
          .field<&T::password>("password", "not stored")
          .field<&T::post>("post", "HTTP: POST in place of PUT")
          .field<&T::host_key>(
              "host_key",
              "SSH: the right fingerprint from now on; empty: the remembered one")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Push>() {
  using T = Push;
  static const Shape shape =
      ShapeOf<T>("Push", "a new push")
          .field<&T::number>("number", "for asking about its state")
          .field<&T::image>("image", "its name")
          .field<&T::to>("to", "address and port")
          .field<&T::name>("name", "the name for the device")
          .field<&T::total>("total", "size of the image", Unit::kBytes)
          .field<&T::first_time>("first_time",
                                 "SSH: no host key of the device is remembered yet")
          .done();
  return shape;
}

template <>
const Shape& shape_of<PushState>() {
  using T = PushState;
  static const Shape shape =
      ShapeOf<T>("PushState", "the progress of a push")
          .field<&T::number>("number", "its number")
          .field<&T::state>("state", "its state")
          .choices({"waiting", "sending", "complete", "failed"})
          .field<&T::bytes>("bytes", "acknowledged by the device", Unit::kBytes)
          .field<&T::total>("total", "size of the image", Unit::kBytes)
          .field<&T::rate>("rate", "recent; mean when it has ended",
                           Unit::kBytesPerSecond)
          .field<&T::resent>("resent", "packets that were sent again")
          .field<&T::duration_ms>("duration_ms", "since it began, including the wait",
                                  Unit::kMilliseconds)
          .field<&T::why>("why", "why it failed, or empty")
          .field<&T::host_key>("host_key", "SSH: the device's fingerprint, or empty")
          .done();
  return shape;
}

template <>
const Shape& shape_of<PushAsked>() {
  using T = PushAsked;
  static const Shape shape = ShapeOf<T>("PushAsked", "which push")
                                 .field<&T::number>("number", "its number")
                                 .needed()
                                 .done();
  return shape;
}

}  // namespace vantro::api
