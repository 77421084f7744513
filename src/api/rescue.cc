#include "api/rescue.h"

namespace vantro::api {

template <>
const Shape& shape_of<RescueFile>() {
  using T = RescueFile;
  static const Shape shape =
      ShapeOf<T>("RescueFile", "a name that a device without a system insists on")
          .field<&T::name>(
              "name",
              "to the letter; {device}, {serial} and {link} stand for the device's own")
          .field<&T::gives>("gives", "the image or text that it gives")
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
      ShapeOf<T>("RescueProfile", "how one kind of device is brought back")
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
          .field<&T::files>("files", "in the order in which they are asked for")
          .field<&T::begin>("begin", "how to make the device ask")
          .field<&T::shows>("shows", "its lamps and texts meanwhile")
          .field<&T::afterwards>("afterwards",
                                 "where it is found when it runs again, or empty")
          .field<&T::check>("check", "how that is looked at: ping, tcp PORT, or empty")
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
      ShapeOf<T>("RescueWanted", "a session that is to be opened")
          .field<&T::device>("device", "its name in the inventory, or empty")
          .field<&T::interface>("interface", "the network interface of the wire")
          .needed()
          .field<&T::profile>("profile",
                              "by name; empty: the one of the device's platform")
          .field<&T::for_s>("for_s", "how long it may last", Unit::kSeconds)
          .field<&T::link_addresses>("link_addresses",
                                     "whom to serve: MAC, MAC=DEVICE, "
                                     "MAC=DEVICE@ADDRESS; none: the first that asks")
          .field<&T::serials>("serials", "the same by serial numbers")
          .field<&T::any_device>("any_device", "serve everybody that asks")
          .field<&T::own_address>(
              "own_address",
              "add the server's address to the interface, and take it away at the end")
          .field<&T::despite_other>(
              "despite_other", "open it although another address server answers there")
          .field<&T::image>("image",
                            "to give in place of the profile's last one; empty: that")
          .field<&T::text>("text", "for a name that gives a text")
          .field<&T::really>("really", "false: only check")
          .done();
  return shape;
}

template <>
const Shape& shape_of<RescueName>() {
  using T = RescueName;
  static const Shape shape =
      ShapeOf<T>("RescueName", "a name on the wire of a session")
          .field<&T::name>("name", "to the letter")
          .field<&T::stands_for>("stands_for", "the image, or what else")
          .field<&T::size>("size", "how large it is", Unit::kBytes)
          .done();
  return shape;
}

template <>
const Shape& shape_of<RescueLine>() {
  using T = RescueLine;
  static const Shape shape =
      ShapeOf<T>("RescueLine", "one line of what happened")
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
          .field<&T::interface>("interface", "of the wire")
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
          .field<&T::large>("large", "the stage, to be read from the rack")
          .field<&T::small>("small", "what it is about, and what to do")
          .field<&T::percent>("percent", "of what is being loaded")
          .field<&T::since>("since", "when the stage began", Unit::kTime)
          .field<&T::bells>("bells",
                            "how often a stage has begun that somebody should hear of")
          .field<&T::names>("names", "that its wire can ask for")
          .field<&T::lines>("lines", "what happened, in order")
          .field<&T::summary>("summary", "of one that has ended")
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
                             "false: a check stopped it, or it was only checked")
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
          .field<&T::name>("name", "as the device is told; empty: the image's")
          .field<&T::over>("over", "the protocol")
          .choices({"tftp", "http", "scp", "sftp"})
          .field<&T::wait_s>("wait_s", "how long to wait until the device listens",
                             Unit::kSeconds)
          .field<&T::block_size>("block_size", "TFTP: of a block", Unit::kBytes)
          .field<&T::window_size>("window_size", "TFTP: blocks for one acknowledgement")
          .field<&T::account>("account", "of the device")
          .field<&T::password>("password", "is not kept")
          .field<&T::post>("post", "HTTP: POST in place of PUT")
          .field<&T::host_key>("host_key",
                               "SSH: the fingerprint that is right from now on; empty: "
                               "the one that is remembered")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Push>() {
  using T = Push;
  static const Shape shape =
      ShapeOf<T>("Push", "a push that has begun")
          .field<&T::number>("number", "to ask for its state")
          .field<&T::image>("image", "its name")
          .field<&T::to>("to", "address and port")
          .field<&T::name>("name", "as the device is told")
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
      ShapeOf<T>("PushState", "how far a push is")
          .field<&T::number>("number", "its number")
          .field<&T::state>("state", "how far it is")
          .choices({"waiting", "sending", "complete", "failed"})
          .field<&T::bytes>("bytes", "that the device has acknowledged", Unit::kBytes)
          .field<&T::total>("total", "size of the image", Unit::kBytes)
          .field<&T::rate>("rate", "lately; when it has ended, in all",
                           Unit::kBytesPerSecond)
          .field<&T::resent>("resent", "packets that were sent again")
          .field<&T::duration_ms>("duration_ms", "since it began, with the wait",
                                  Unit::kMilliseconds)
          .field<&T::why>("why", "it failed, or empty")
          .field<&T::host_key>("host_key",
                               "SSH: the fingerprint that the device showed, or empty")
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
