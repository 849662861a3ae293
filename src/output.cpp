// File information that R does not provide: the kind of a file, and failed standard output.
#include <Rcpp.h>

#include <cerrno>
#include <cstring>
#include <filesystem>
#include <string>
#ifdef _WIN32
#include <io.h>
#else
#include <fcntl.h>
#include <signal.h>
#include <sys/stat.h>
#include <unistd.h>
#endif

namespace {

// In a process that was started with standard output closed, the next file that is opened takes its
// place: results must not be written there.
bool standard_output_is_open() {
#ifdef _WIN32
  return true;
#else
  struct stat what;
  if (fstat(1, &what) != 0) return false;
  const int access = fcntl(1, F_GETFL) & O_ACCMODE;
  return !(S_ISREG(what.st_mode) && access == O_RDWR && what.st_nlink == 0);
#endif
}

// While it exists, writing to a pipe without a reader gives an error number: R would stop the call.
class NoPipeSignal {
#ifndef _WIN32
 public:
  NoPipeSignal() {
    struct sigaction ignore = {};
    ignore.sa_handler = SIG_IGN;
    sigaction(SIGPIPE, &ignore, &before_);
  }
  ~NoPipeSignal() { sigaction(SIGPIPE, &before_, nullptr); }

 private:
  struct sigaction before_ = {};
#endif
};

}  // namespace

// [[Rcpp::export(rng = false)]]
bool is_regular_file(const std::string& path) {
  std::error_code trouble;
  return std::filesystem::is_regular_file(path, trouble);
}

// The number of the error (0: everything was written) and its description.
// [[Rcpp::export(rng = false)]]
Rcpp::List write_standard_output(const Rcpp::RawVector& bytes) {
  const char* at = reinterpret_cast<const char*>(RAW(bytes));
  R_xlen_t left = bytes.size();
  int error = standard_output_is_open() ? 0 : EBADF;
  const NoPipeSignal guard;
  while (error == 0 && left > 0) {
    const int size = left > 65536 ? 65536 : static_cast<int>(left);
#ifdef _WIN32
    const int done = _write(1, at, size);
#else
    const int done = static_cast<int>(write(1, at, static_cast<size_t>(size)));
#endif
    if (done < 0 && errno == EINTR) continue;
    if (done <= 0) {
      error = done < 0 ? errno : EIO;
      break;
    }
    at += done;
    left -= done;
  }
  return Rcpp::List::create(Rcpp::_["error"] = error, Rcpp::_["gone"] = error == EPIPE,
                            Rcpp::_["why"] = error == 0 ? "" : std::strerror(error));
}
