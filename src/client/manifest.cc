#include "client/manifest.h"

namespace vantro::api {

template <>
const Shape& shape_of<client::ManifestDocument>() {
  using T = client::ManifestDocument;
  static const Shape shape = ShapeOf<T>("ManifestDocument", "a document of an export")
                                 .field<&T::name>("name", "its name")
                                 .field<&T::file>("file", "in the export")
                                 .field<&T::size>("size", "its size", Unit::kBytes)
                                 .field<&T::sha256>("sha256", "its SHA-256")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<client::ManifestImage>() {
  using T = client::ManifestImage;
  static const Shape shape =
      ShapeOf<T>("ManifestImage", "an image of an export")
          .field<&T::name>("name", "the first of its names")
          .field<&T::names>("names", "all of them")
          .field<&T::file>("file", "in the export")
          .field<&T::size>("size", "its size", Unit::kBytes)
          .field<&T::digests>("digests", "its digests")
          .field<&T::facts>("facts", "what is known of it")
          .field<&T::vouches>("vouches", "its maker's checksums")
          .field<&T::offers>("offers", "names that devices could fetch")
          .field<&T::documents>("documents", "beside it")
          .field<&T::withdrawn>("withdrawn", "why it was withdrawn; empty: it was not")
          .done();
  return shape;
}

template <>
const Shape& shape_of<client::Manifest>() {
  using T = client::Manifest;
  static const Shape shape = ShapeOf<T>("Manifest", "an export")
                                 .field<&T::format>("format", "vantro-export")
                                 .field<&T::version>("version", "of the format")
                                 .field<&T::made_at>("made_at", "when", Unit::kTime)
                                 .field<&T::images>("images", "each of them")
                                 .field<&T::kits>("kits", "whose images are all in it")
                                 .done();
  return shape;
}

template <>
const Shape& shape_of<client::Imports>() {
  using T = client::Imports;
  static const Shape shape =
      ShapeOf<T>("Imports", "what came of an import")
          .field<&T::taken_in>("taken_in", "images")
          .field<&T::known>("known", "images that were known already")
          .field<&T::failed>("failed", "sentences")
          .done();
  return shape;
}

}  // namespace vantro::api
