#include "api/people.h"

namespace vantro::api {
namespace {

constexpr const char* kRights = "secrets and push, separated by commas; or none";

}  // namespace

template <>
const Shape& shape_of<Person>() {
  using T = Person;
  static const Shape shape =
      ShapeOf<T>("Person", "a person who manages the server")
          .field<&T::name>("name", "as in the ledger")
          .field<&T::role>("role", "look, operate, administer or mirror")
          .field<&T::rights>("rights", kRights)
          .field<&T::known_by>("known_by",
                               "tokens; or, for a person without a record, socket or PAM")
          .field<&T::password>("password", "whether they can log in with one")
          .field<&T::tokens>("tokens", "valid ones")
          .field<&T::until>("until", "when it ends; null: never", Unit::kTime)
          .field<&T::on>("on", "false: it is switched off")
          .field<&T::remarks>("remarks", "who it is, and the purpose")
          .field<&T::made_at>("made_at", "when it was made", Unit::kTime)
          .field<&T::last_seen_at>("last_seen_at", "null: never", Unit::kTime)
          .field<&T::last_seen_from>("last_seen_from", "an address, or this machine")
          .done();
  return shape;
}

template <>
const Shape& shape_of<PersonList>() {
  using T = PersonList;
  static const Shape shape =
      ShapeOf<T>("PersonList", "the people")
          .field<&T::people>("people", "by name; those without a record last")
          .done();
  return shape;
}

template <>
const Shape& shape_of<PersonFields>() {
  using T = PersonFields;
  static const Shape shape =
      ShapeOf<T>("PersonFields",
                 "a person's rights and limits; fields that are not sent stay")
          .field<&T::name>("name", "as in the ledger; only for a new one")
          .field<&T::role>("role",
                           "look, operate, administer or mirror (a new one: look)")
          .field<&T::rights>("rights", kRights)
          .field<&T::password>("password", "at least 8 characters; empty: remove it")
          .field<&T::until>("until", "when it ends; empty: never", Unit::kTime)
          .field<&T::on>("on", "false: it is switched off")
          .field<&T::remarks>("remarks", "who it is, and the purpose")
          .done();
  return shape;
}

template <>
const Shape& shape_of<PersonRemoved>() {
  using T = PersonRemoved;
  static const Shape shape = ShapeOf<T>("PersonRemoved", "a person was removed")
                                 .field<&T::removed>("removed", "the name")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<TokenInfo>() {
  using T = TokenInfo;
  static const Shape shape =
      ShapeOf<T>("TokenInfo", "a token or a log-in of a person, without its text")
          .field<&T::person>("person", "its owner")
          .field<&T::label>("label", "its label; for a log-in, the address")
          .field<&T::state>("state", "good, log-in, ended or revoked")
          .field<&T::made_at>("made_at", "when it was made", Unit::kTime)
          .field<&T::until>("until", "when it ends; null: with the person", Unit::kTime)
          .field<&T::last_used_at>("last_used_at", "null: never", Unit::kTime)
          .field<&T::last_used_from>("last_used_from", "an address")
          .done();
  return shape;
}

template <>
const Shape& shape_of<TokenList>() {
  using T = TokenList;
  static const Shape shape =
      ShapeOf<T>("TokenList", "the tokens of a person")
          .field<&T::tokens>("tokens", "the oldest first; ended ones for 30 days")
          .done();
  return shape;
}

template <>
const Shape& shape_of<TokenWanted>() {
  using T = TokenWanted;
  static const Shape shape =
      ShapeOf<T>("TokenWanted", "a new token")
          .field<&T::label>("label", "such as the machine that uses it")
          .needed()
          .field<&T::until>("until", "when it ends; empty: with the person", Unit::kTime)
          .done();
  return shape;
}

template <>
const Shape& shape_of<TokenMade>() {
  using T = TokenMade;
  static const Shape shape =
      ShapeOf<T>("TokenMade", "a token with its text")
          .field<&T::token>("token", "the token")
          .field<&T::text>("text", "shown only now; empty: unchanged")
          .done();
  return shape;
}

template <>
const Shape& shape_of<TokenAsked>() {
  using T = TokenAsked;
  static const Shape shape = ShapeOf<T>("TokenAsked", "which token of which person")
                                 .field<&T::name>("name", "of the person")
                                 .needed()
                                 .field<&T::label>("label", "of the token")
                                 .needed()
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<TokenRenewal>() {
  using T = TokenRenewal;
  static const Shape shape =
      ShapeOf<T>("TokenRenewal", "how long a token is valid from now on")
          .field<&T::until>("until", "when it ends; empty: with the person", Unit::kTime)
          .field<&T::replace>("replace", "give it a new text; the old one ends")
          .done();
  return shape;
}

template <>
const Shape& shape_of<LogIn>() {
  using T = LogIn;
  static const Shape shape =
      ShapeOf<T>("LogIn", "a log-in")
          .field<&T::name>("name", "of the person")
          .field<&T::password>("password", "the person's")
          .field<&T::token>("token", "in place of name and password")
          .field<&T::cookie>("cookie",
                             "the log-in goes into a cookie, for browsers; its token is "
                             "not in the answer")
          .done();
  return shape;
}

template <>
const Shape& shape_of<LoggedIn>() {
  using T = LoggedIn;
  static const Shape shape =
      ShapeOf<T>("LoggedIn", "a log-in")
          .field<&T::me>("me", "the person, and the end of the log-in")
          .field<&T::token>("token", "for Authorization: Bearer; empty with a cookie")
          .done();
  return shape;
}

template <>
const Shape& shape_of<PasswordGiven>() {
  using T = PasswordGiven;
  static const Shape shape = ShapeOf<T>("PasswordGiven", "a new password")
                                 .field<&T::password>("password", "at least 8 characters")
                                 .needed()
                                 .done();
  return shape;
}

}  // namespace vantro::api
