#include "crypto/file_form.h"

#include <gtest/gtest.h>
#include <string>

namespace vantro::crypto {
namespace {

const std::string kHex(64, 'a');

TEST(FileForm, KnowsChecksumListsByTheirLines) {
  const auto gnu = kHex + "  x.img\n" + kHex + " *y.img\n";
  for (const auto& text :
       {gnu, "# of 7.6\n\n" + gnu, "\xef\xbb\xbf" + gnu, kHex + "\n", kHex,
        "SHA256 (x.img) = " + kHex + "\r\n", "Checksums of the release\n" + gnu,
        "-----BEGIN PGP SIGNED MESSAGE-----\nHash: SHA256\n\n" + gnu}) {
    EXPECT_EQ(form_of(text), FileForm::kChecksumList) << text;
  }
}

TEST(FileForm, KnowsSignaturesAndKeysByTheirForm) {
  EXPECT_EQ(form_of("untrusted comment: signature\nRUQ=\ntrusted comment: x\nAAAA\n"),
            FileForm::kSignature);
  EXPECT_EQ(form_of("untrusted comment: minisign public key\nRWQ=\n"), FileForm::kKey);
  EXPECT_EQ(form_of("-----BEGIN PGP SIGNATURE-----\n\n..."), FileForm::kSignature);
  EXPECT_EQ(form_of("-----BEGIN PGP PUBLIC KEY BLOCK-----\n"), FileForm::kKey);
  // Tag 2, old and new format, with a length of one and of two bytes.
  EXPECT_EQ(form_of(std::string("\x88\x05\x04") + "1234"), FileForm::kSignature);
  EXPECT_EQ(form_of(std::string("\xc2\x05\x04") + "1234"), FileForm::kSignature);
  const std::string long_body(299, 'x');
  EXPECT_EQ(form_of(std::string("\x89\x01\x2c\x04") + long_body), FileForm::kSignature);
  EXPECT_EQ(form_of(std::string("\x98\x05\x04") + "1234" + "\xb4\x02xy"), FileForm::kKey);
}

TEST(FileForm, TakesNothingElseForThem) {
  for (const auto& text :
       {std::string(), std::string("hostname tidegate\n!\nend\n"),
        "one\ntwo\nthree\n" + kHex + "  x.img\n",  // mostly something else
        std::string(64, 'g') + "  x.img\n",
        std::string("\x88\x05\x04") + "123",    // shorter than it says
        std::string("\x88\x05\x04") + "12345",  // something behind it
        std::string("\x88\x05\x09") + "1234",   // no such version
        std::string("\x00\x01\x02\x03", 4), kHex + std::string(1, '\0')}) {
    EXPECT_EQ(form_of(text), FileForm::kOther) << text;
  }
}

TEST(FileForm, KnowsWhatNamesMean) {
  for (const auto* name :
       {"SHA256SUMS", "sums/SHA256SUMS", "sha256sums.txt", "SHA512SUMS", "MD5SUMS.txt",
        "x.img.sha256", "x.MD5", "all.sha512sum", "sha256sum.txt", "checksums.txt",
        "CHECKSUM", "SHA256SUMS-7.6", "x.sha256sums", "7.6.checksums"}) {
    EXPECT_EQ(form_by_name(name), FileForm::kChecksumList) << name;
  }
  for (const auto* name : {"SHA256SUMS.asc", "x.minisig", "x.img.sig"}) {
    EXPECT_EQ(form_by_name(name), FileForm::kSignature) << name;
  }
  for (const auto* name : {"x.img", "sha256", "md5", "mychecksum.img"}) {
    EXPECT_EQ(form_by_name(name), FileForm::kOther) << name;
  }
}

}  // namespace
}  // namespace vantro::crypto
