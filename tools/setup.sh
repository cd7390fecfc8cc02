# Sourced by ./run and ./check: what a fresh Debian 12 machine needs, and how Rivlen is built.

PACKAGES=(
  build-essential cmake ninja-build pkg-config git
  libtorch-dev libopenblas0-pthread
  qt6-base-dev libqt6svg6-dev qt6-multimedia-dev libqt6svg6 libqt6multimedia6
  libavformat-dev libavcodec-dev libavutil-dev libswscale-dev libswresample-dev ffmpeg
  libsndfile1-dev librubberband-dev libfluidsynth-dev timgm6mb-soundfont libsoxr-dev libebur128-dev libfftw3-dev libxxhash-dev libarchive-dev libpugixml-dev libmysofa-dev libopencv-imgproc-dev
  nlohmann-json3-dev libcli11-dev libfmt-dev libeigen3-dev
  libgtest-dev libbenchmark-dev libspatialaudio-dev  # the last: harmonics to compare with, in tests
  sox libsox-fmt-mp3 mediainfo libxml2-utils unzip poppler-utils  # read back what was delivered, in tests
)

install_packages() {
  local missing=()
  for package in "${PACKAGES[@]}"; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
  done
  ((${#missing[@]} == 0)) && return 0
  local sudo=""
  [[ $(id -u) != 0 ]] && sudo=sudo
  echo "Installing ${missing[*]}"
  $sudo apt-get update -qq
  DEBIAN_FRONTEND=noninteractive $sudo apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

# build_release [target...]: these, or everything.
build_release() {
  local began=$SECONDS
  cmake --preset release >/dev/null
  cmake --build --preset release ${1:+--target "$@"}
  echo "Built in $(((SECONDS - began) / 60)) min $(((SECONDS - began) % 60)) s."
}
