#include "exchange/seal.h"

#include "exchange/files.h"

#include <cstdlib>
#include <fcntl.h>
#include <filesystem>
#include <openssl/crypto.h>
#include <openssl/evp.h>
#include <openssl/hmac.h>
#include <openssl/rand.h>
#include <sys/stat.h>
#include <unistd.h>

namespace lumsk::exchange {

namespace fs = std::filesystem;

namespace {

fs::path dataFolder() {
  if (const char* set = std::getenv("XDG_DATA_HOME"); set && *set == '/') return fs::path(set) / "lumsk";
  const char* home = std::getenv("HOME");
  return (home ? fs::path(home) : fs::temp_directory_path()) / ".local/share/lumsk";
}

/// The secret in a file of ours that nobody else may read.
std::string secretIn(const std::string& file) {
  const int fd = ::open(file.c_str(), O_RDONLY | O_NOFOLLOW | O_CLOEXEC);
  if (fd < 0) return {};
  struct stat s {};
  std::string out(Seal::kLength, '\0');
  const bool private_ = ::fstat(fd, &s) == 0 && s.st_uid == ::geteuid() && (s.st_mode & 077) == 0;
  const bool whole = private_ && ::read(fd, out.data(), out.size()) == ssize_t(out.size());
  ::close(fd);
  return whole ? out : std::string();
}

std::string madeSecret(const std::string& file) {
  std::string out(Seal::kLength, '\0');
  if (RAND_bytes(reinterpret_cast<unsigned char*>(out.data()), int(out.size())) != 1) return {};
  std::error_code e;
  fs::create_directories(fs::path(file).parent_path(), e);
  ::unlink(file.c_str()); // one that others could read has told its secret
  const int fd = ::open(file.c_str(), O_CREAT | O_EXCL | O_WRONLY | O_NOFOLLOW | O_CLOEXEC, 0600);
  if (fd < 0) return secretIn(file).empty() ? out : secretIn(file); // another window was first, or nothing can be kept
  const bool kept = ::write(fd, out.data(), out.size()) == ssize_t(out.size());
  ::close(fd);
  if (!kept) ::unlink(file.c_str());
  return out;
}

} // namespace

Seal::Seal(const std::string& file) : secret_(secretIn(file)) {
  if (secret_.empty()) secret_ = madeSecret(file);
}

const Seal& Seal::own() {
  static const Seal seal((dataFolder() / "seal.key").string());
  return seal;
}

std::string Seal::of(const std::string& name, const std::string& bytes) const {
  if (secret_.empty()) return {};
  const std::string about = std::to_string(name.size()) + ":" + name + bytes;
  unsigned char out[EVP_MAX_MD_SIZE];
  unsigned length = 0;
  if (!HMAC(EVP_sha256(), secret_.data(), int(secret_.size()), reinterpret_cast<const unsigned char*>(about.data()), about.size(), out, &length)) return {};
  return {reinterpret_cast<char*>(out), length};
}

bool Seal::holds(const std::string& name, const std::string& bytes, const std::string& seal) const {
  const std::string right = of(name, bytes);
  return right.size() == kLength && seal.size() == kLength && CRYPTO_memcmp(right.data(), seal.data(), kLength) == 0;
}

} // namespace lumsk::exchange
