#include "api/access.h"

namespace vantro::api {

template <>
const Shape& shape_of<Account>() {
  using T = Account;
  static const Shape shape =
      ShapeOf<T>("Account", "who may fetch, send and hand in")
          .field<&T::name>(
              "name",
              "its name for the log-in; anonymous is everybody without an account")
          .field<&T::may>(
              "may",
              "fetch, deposit, read-back and hand-in, separated by commas; or none")
          .field<&T::from>(
              "from", "networks, separated by commas; empty: everywhere that is open")
          .field<&T::part>("part",
                           "the only folder of the tree that it sees; empty: all of it")
          .field<&T::until>("until", "when it ends; null: never", Unit::kTime)
          .field<&T::on>("on", "false: it is switched off")
          .field<&T::remarks>("remarks", "its owner and its purpose")
          .field<&T::made_at>("made_at", "when it was made", Unit::kTime)
          .field<&T::last_used_at>("last_used_at", "null: never", Unit::kTime)
          .field<&T::last_used_from>("last_used_from", "an address")
          .field<&T::keys>("keys", "for SSH")
          .done();
  return shape;
}

template <>
const Shape& shape_of<AccountList>() {
  using T = AccountList;
  static const Shape shape = ShapeOf<T>("AccountList", "the accounts")
                                 .field<&T::accounts>("accounts", "anonymous first")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<AccountFields>() {
  using T = AccountFields;
  static const Shape shape =
      ShapeOf<T>("AccountFields",
                 "an account's rights and limits; fields that are not sent stay")
          .field<&T::name>("name", "its name for the log-in; only for a new one")
          .field<&T::password>("password", "at least 8 characters")
          .field<&T::may>("may",
                          "fetch, deposit, read-back and hand-in, separated by commas; "
                          "or none (a new one: fetch,deposit)")
          .field<&T::from>("from",
                           "networks, separated by commas: 192.0.2.0/24, private, "
                           "loopback; or everywhere that is open")
          .field<&T::part>("part",
                           "the only folder of the tree that it sees; empty: all of it")
          .field<&T::until>("until", "when it ends; empty: never", Unit::kTime)
          .field<&T::on>("on", "false: it is switched off")
          .field<&T::remarks>("remarks", "its owner and its purpose")
          .done();
  return shape;
}

template <>
const Shape& shape_of<AccountRemoved>() {
  using T = AccountRemoved;
  static const Shape shape = ShapeOf<T>("AccountRemoved", "an account was removed")
                                 .field<&T::removed>("removed", "its name")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<AccountKey>() {
  using T = AccountKey;
  static const Shape shape =
      ShapeOf<T>("AccountKey", "a public key that an account logs in with over SSH")
          .field<&T::type>("type", "such as ssh-ed25519")
          .field<&T::fingerprint>("fingerprint", "SHA256:...")
          .field<&T::remark>("remark", "its owner")
          .field<&T::added_at>("added_at", "when", Unit::kTime)
          .done();
  return shape;
}

template <>
const Shape& shape_of<AccountKeys>() {
  using T = AccountKeys;
  static const Shape shape =
      ShapeOf<T>("AccountKeys", "the keys of one account")
          .field<&T::keys>("keys", "in the order in which they were added")
          .done();
  return shape;
}

template <>
const Shape& shape_of<KeyGiven>() {
  using T = KeyGiven;
  static const Shape shape =
      ShapeOf<T>("KeyGiven", "a public key")
          .field<&T::key>("key", "a line or a block as key programs write it")
          .needed()
          .field<&T::remark>("remark", "a remark (default: the comment of the key)")
          .done();
  return shape;
}

template <>
const Shape& shape_of<KeyAsked>() {
  using T = KeyAsked;
  static const Shape shape = ShapeOf<T>("KeyAsked", "which key of which account")
                                 .field<&T::name>("name", "of the account")
                                 .needed()
                                 .field<&T::key>("key", "its fingerprint, or its remark")
                                 .needed()
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<Location>() {
  using T = Location;
  static const Shape shape =
      ShapeOf<T>("Location", "where one image can be fetched over one protocol")
          .field<&T::protocol>("protocol", "the protocol")
          .field<&T::server>("server", "the server's address in the text")
          .field<&T::text>("text", "what to paste into the device")
          .field<&T::open>("open", "whether the given device may fetch it")
          .field<&T::note>("note", "why it may not")
          .field<&T::remark>("remark", "an option that the client needs")
          .field<&T::protects>("protects",
                               "nobody can read content and password on the way")
          .field<&T::port>("port", "for clients that ask for the port by itself")
          .field<&T::account>("account", "for the log-in; empty: none is needed")
          .field<&T::mode>("mode", "the mode to choose if the client asks; or empty")
          .done();
  return shape;
}

template <>
const Shape& shape_of<Locations>() {
  using T = Locations;
  static const Shape shape =
      ShapeOf<T>("Locations", "where one image can be fetched")
          .field<&T::name>("name", "the name for devices")
          .field<&T::image>("image", "its first name")
          .field<&T::size>("size", "its size", Unit::kBytes)
          .field<&T::digests>("digests", "its digests")
          .field<&T::locations>("locations", "one for each protocol and address")
          .done();
  return shape;
}

template <>
const Shape& shape_of<LocationsAsked>() {
  using T = LocationsAsked;
  static const Shape shape =
      ShapeOf<T>("LocationsAsked", "which image, for whom")
          .field<&T::image>("image", "an image, or a name on offer")
          .needed()
          .field<&T::device>("for",
                             "the device's name or address: it gets the server's address "
                             "that it would use, and what is closed to it")
          .field<&T::account>("account", "the account for the log-in")
          .done();
  return shape;
}

}  // namespace vantro::api
