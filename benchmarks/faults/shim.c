/* Loaded before the C library of a process under test (LD_PRELOAD): its clock can be set, its writes
 * can fail, and what it has not synced is known.
 *
 * ROOK_FAULTS_CONTROL names a file of two numbers, looked at anew by every call: what to add to the
 * clock (ns), and the errno that writes below ROOK_FAULTS_FOLDER fail with (0: they do not).
 * ROOK_FAULTS_SYNCED names a folder: a file there has of its namesake what was synced, and no more.
 */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <pthread.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/time.h>
#include <time.h>
#include <unistd.h>

struct control { int64_t clock_ns; int64_t error; };
struct range { off_t at; size_t length; };
struct file { char name[256]; struct range *ranges; size_t count, room; };

#define FILES 64
#define FDS 4096

static const struct control idle;
static const struct control *control = &idle;
static char folder[PATH_MAX], synced[PATH_MAX];
static size_t folder_length;
static struct file files[FILES];
static size_t file_count;
/* By descriptor: 0 not looked at, 1 not below the folder, else 2 and the number of the file. */
static unsigned char known[FDS];
static pthread_mutex_t lock = PTHREAD_MUTEX_INITIALIZER;

static ssize_t (*real_pwrite)(int, const void *, size_t, off_t);
static ssize_t (*real_write)(int, const void *, size_t);
static int (*real_ftruncate)(int, off_t), (*real_fsync)(int), (*real_close)(int);

__attribute__((constructor)) static void begin(void) {
    real_pwrite = dlsym(RTLD_NEXT, "pwrite64");
    real_write = dlsym(RTLD_NEXT, "write");
    real_ftruncate = dlsym(RTLD_NEXT, "ftruncate64");
    real_fsync = dlsym(RTLD_NEXT, "fsync");
    real_close = dlsym(RTLD_NEXT, "close");
    const char *told = getenv("ROOK_FAULTS_CONTROL");
    if (told) {
        int fd = open(told, O_RDONLY);
        void *seen = fd < 0 ? MAP_FAILED : mmap(NULL, sizeof *control, PROT_READ, MAP_SHARED, fd, 0);
        if (seen != MAP_FAILED) control = seen;
        if (fd >= 0) syscall(SYS_close, fd);
    }
    if ((told = getenv("ROOK_FAULTS_FOLDER"))) {
        snprintf(folder, sizeof folder, "%s/", told);
        folder_length = strlen(folder);
    }
    if ((told = getenv("ROOK_FAULTS_SYNCED"))) snprintf(synced, sizeof synced, "%s/", told);
}

/* The file a descriptor is of, NULL when it is none of ours. */
static struct file *file_of(int fd) {
    char link[64], path[PATH_MAX];
    if (!folder_length || fd < 0 || fd >= FDS || known[fd] == 1) return NULL;
    if (known[fd]) return &files[known[fd] - 2];
    snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
    ssize_t length = readlink(link, path, sizeof path - 1);
    known[fd] = 1;
    if (length <= (ssize_t)folder_length) return NULL;
    path[length] = 0;
    if (strncmp(path, folder, folder_length)) return NULL;
    for (char *one = path + folder_length; *one; one++) if (*one == '/') *one = '+';
    size_t at = 0;
    while (at < file_count && strcmp(files[at].name, path + folder_length)) at++;
    if (at == FILES) return NULL;
    if (at == file_count) {
        snprintf(files[at].name, sizeof files[at].name, "%.255s", path + folder_length);
        file_count++;
    }
    known[fd] = (unsigned char)(at + 2);
    return &files[at];
}

static int fails(struct file *file) {
    if (!file || !control->error) return 0;
    errno = (int)control->error;
    return 1;
}

static void note(struct file *file, off_t at, ssize_t length) {
    if (!file || !*synced || length <= 0) return;
    if (file->count == file->room) {
        file->room = file->room ? 2 * file->room : 64;
        file->ranges = realloc(file->ranges, file->room * sizeof *file->ranges);
    }
    file->ranges[file->count++] = (struct range){at, (size_t)length};
}

ssize_t pwrite64(int fd, const void *what, size_t length, off_t at) {
    pthread_mutex_lock(&lock);
    struct file *file = file_of(fd);
    ssize_t done = fails(file) ? -1 : real_pwrite(fd, what, length, at);
    note(file, at, done);
    pthread_mutex_unlock(&lock);
    return done;
}
ssize_t pwrite(int fd, const void *what, size_t length, off_t at) {
    return pwrite64(fd, what, length, at);
}

ssize_t write(int fd, const void *what, size_t length) {
    if (!folder_length || fd < 3) return real_write(fd, what, length);
    pthread_mutex_lock(&lock);
    struct file *file = file_of(fd);
    pthread_mutex_unlock(&lock);
    if (!file) return real_write(fd, what, length);
    if (fails(file)) return -1;
    pthread_mutex_lock(&lock);
    off_t at = lseek(fd, 0, SEEK_CUR);
    ssize_t done = real_write(fd, what, length);
    note(file, at, done);
    pthread_mutex_unlock(&lock);
    return done;
}

int ftruncate64(int fd, off_t length) {
    pthread_mutex_lock(&lock);
    int done = fails(file_of(fd)) ? -1 : real_ftruncate(fd, length);
    pthread_mutex_unlock(&lock);
    return done;
}
int ftruncate(int fd, off_t length) { return ftruncate64(fd, length); }

static void remember(int fd, struct file *file) {
    char path[PATH_MAX + 300], part[65536];
    struct stat told;
    snprintf(path, sizeof path, "%s%s", synced, file->name);
    int copy = open(path, O_RDWR | O_CREAT, 0600);
    if (copy < 0) return;
    for (size_t one = 0; one < file->count; one++) {
        off_t at = file->ranges[one].at;
        size_t left = file->ranges[one].length;
        while (left) {
            ssize_t some = pread(fd, part, left < sizeof part ? left : sizeof part, at);
            if (some <= 0) break;
            if (real_pwrite(copy, part, (size_t)some, at) != some) break;
            at += some;
            left -= (size_t)some;
        }
    }
    file->count = 0;
    if (!fstat(fd, &told) && real_ftruncate(copy, told.st_size)) { /* told by the next comparison */ }
    syscall(SYS_close, copy);
}

int fsync(int fd) {
    pthread_mutex_lock(&lock);
    struct file *file = file_of(fd);
    pthread_mutex_unlock(&lock);
    /* Not asked of the disk itself, but as slow as a memory card: the power may go meanwhile. */
    if (file && *synced) usleep(20000);
    pthread_mutex_lock(&lock);
    int done = file && *synced ? 0 : real_fsync(fd);
    if (fails(file)) done = -1;
    else if (file && *synced) remember(fd, file);
    pthread_mutex_unlock(&lock);
    return done;
}
int fdatasync(int fd) { return fsync(fd); }

int close(int fd) {
    if (fd >= 0 && fd < FDS) known[fd] = 0;
    return real_close(fd);
}

int clock_gettime(clockid_t which, struct timespec *now) {
    int done = (int)syscall(SYS_clock_gettime, which, now);
    if (!done && (which == CLOCK_REALTIME || which == CLOCK_REALTIME_COARSE) && control->clock_ns) {
        int64_t told = now->tv_sec * INT64_C(1000000000) + now->tv_nsec + control->clock_ns;
        now->tv_sec = told / 1000000000;
        now->tv_nsec = told % 1000000000;
    }
    return done;
}

int gettimeofday(struct timeval *restrict now, void *restrict zone) {
    struct timespec told;
    (void)zone;
    clock_gettime(CLOCK_REALTIME, &told);
    now->tv_sec = told.tv_sec;
    now->tv_usec = told.tv_nsec / 1000;
    return 0;
}

time_t time(time_t *now) {
    struct timespec told;
    clock_gettime(CLOCK_REALTIME, &told);
    if (now) *now = told.tv_sec;
    return told.tv_sec;
}
