//! Variables that a tool's home may not be put into, since something else obeys them.

/// Who obeys which variables. A name that ends in `*` stands for all that begin so; case does not count, as on Windows.
const OBEYED: [(&str, &str); 18] = [
    // Every variable of this program begins so.
    ("Wagon Yard", "WYARD_*"),
    // POSIX.1-2017, 8.2 "Internationalization Variables" and 8.3 "Other Environment Variables"; locale(7).
    (
        "the system",
        "PATH HOME USER LOGNAME SHELL TERM TERMINFO TERMCAP COLUMNS LINES TMPDIR TZ TZDIR LANG LANGUAGE LC_* \
         LOCPATH NLSPATH MAIL MANPATH INFOPATH HOSTALIASES",
    ),
    // XDG Base Directory Specification, and what pam_systemd(8) sets.
    ("the desktop", "XDG_* DBUS_* DISPLAY WAYLAND_DISPLAY XAUTHORITY"),
    // ld.so(8), libc's mallopt(3) and gconv; dyld(1) of macOS.
    ("the loader of programs", "LD_* DYLD_* GLIBC_TUNABLES GCONV_PATH MALLOC_* GETCONF_DIR"),
    // POSIX.1-2017, XCU 2.5.3 "Shell Variables"; bash(1), zshparam(1), ksh(1), tcsh(1), fish(1).
    (
        "a shell",
        "ENV BASH_* BASHOPTS SHELLOPTS POSIXLY_CORRECT PROMPT_COMMAND PS0 PS1 PS2 PS3 PS4 PROMPT RPROMPT RPS1 \
         IFS PWD OLDPWD CDPATH FPATH FIGNORE GLOBIGNORE EXECIGNORE FCEDIT HISTFILE HISTSIZE HISTCONTROL \
         INPUTRC ZDOTDIR NULLCMD READNULLCMD KSH_VERSION SHLVL OPTIND OPTARG LINENO RANDOM SECONDS UID EUID \
         PPID TMOUT fish_* __fish_* cwd",
    ),
    // about_Environment_Variables of PowerShell.
    (
        "PowerShell",
        "POWERSHELL_* PSModulePath PSModuleAnalysisCachePath PSExecutionPolicyPreference __PSLockdownPolicy",
    ),
    // "Recognized environment variables" of User State Migration, and help of cmd.
    (
        "Windows",
        "PATHEXT COMSPEC SYSTEMROOT SYSTEMDRIVE WINDIR OS TEMP TMP APPDATA LOCALAPPDATA ALLUSERSPROFILE \
         PUBLIC PROGRAMDATA PROGRAMFILES PROGRAMW6432 COMMONPROGRAMFILES COMMONPROGRAMW6432 COMPUTERNAME \
         USERNAME USERDOMAIN USERPROFILE HOMEDRIVE HOMEPATH HOMESHARE LOGONSERVER SESSIONNAME \
         NUMBER_OF_PROCESSORS PROCESSOR_* DIRCMD COPYCMD ERRORLEVEL CMDCMDLINE CMDEXTVERSION __COMPAT_LAYER \
         COR_* CORECLR_* COMPLUS_* DOTNET_STARTUP_HOOKS DOTNET_ADDITIONAL_DEPS DOTNET_SHARED_STORE",
    ),
    // Cygwin User's Guide, "The CYGWIN environment variable"; what the shells built on it ask for.
    ("Unix shells on Windows", "CYGWIN MSYS MSYS2_* MSYSTEM CHERE_INVOKING"),
    // environ(7), and the manual pages of who asks for them.
    (
        "programs that start an editor, a pager or a browser",
        "EDITOR VISUAL PAGER MANPAGER LESS LESSOPEN LESSCLOSE LESSKEY BROWSER SUDO_* SSH_* GPG_TTY GNUPGHOME",
    ),
    // curl(1), wget(1) and the libraries that follow them; openssl-env(7).
    (
        "programs that use the network",
        "http_proxy https_proxy ftp_proxy all_proxy no_proxy SSL_CERT_FILE SSL_CERT_DIR SSLKEYLOGFILE \
         OPENSSL_CONF OPENSSL_MODULES OPENSSL_ENGINES RES_OPTIONS LOCALDOMAIN KRB5_CONFIG KRB5CCNAME",
    ),
    // python(1) and "Environment variables" of its documentation. PYTHON_HOME is none of them.
    ("Python", "PYTHON*"),
    // node(1).
    ("Node.js", "NODE_OPTIONS NODE_PATH NODE_EXTRA_CA_CERTS NODE_REPL_EXTERNAL_MODULE NODE_V8_COVERAGE"),
    // java(1), "Using the JDK_JAVA_OPTIONS Launcher Environment Variable"; JVM Tool Interface, JAVA_TOOL_OPTIONS.
    ("Java", "JAVA_TOOL_OPTIONS JDK_JAVA_OPTIONS _JAVA_OPTIONS CLASSPATH"),
    // perlrun(1).
    ("Perl", "PERL5LIB PERL5OPT PERL5DB PERL5SHELL PERLLIB PERLIO PERL_UNICODE PERL_HASH_SEED"),
    // ruby(1).
    ("Ruby", "RUBYLIB RUBYOPT RUBYPATH RUBYSHELL GEM_PATH"),
    // lua(1).
    ("Lua", "LUA_INIT LUA_INIT_5_* LUA_PATH LUA_PATH_5_* LUA_CPATH LUA_CPATH_5_*"),
    // git(1), "Environment Variables".
    (
        "git",
        "GIT_SSH GIT_SSH_COMMAND GIT_SSH_VARIANT GIT_EXEC_PATH GIT_DIR GIT_WORK_TREE GIT_INDEX_FILE \
         GIT_OBJECT_DIRECTORY GIT_CONFIG* GIT_TEMPLATE_DIR GIT_EDITOR GIT_SEQUENCE_EDITOR GIT_PAGER \
         GIT_ASKPASS GIT_PROXY_COMMAND GIT_EXTERNAL_DIFF GIT_TRACE* GIT_ATTR_NOSYSTEM",
    ),
    // make(1) and the manual of GNU make.
    ("make", "MAKEFLAGS MAKEFILES GNUMAKEFLAGS MAKELEVEL"),
];

/// Free although a pattern of the table takes them: the usual home variables of tools of these names.
const FREE: [&str; 2] = ["WYARD_HOME", "PYTHON_HOME"];

/// Who obeys this variable.
pub fn obeyed_by(variable: &str) -> Option<&'static str> {
    if FREE.iter().any(|free| free.eq_ignore_ascii_case(variable)) {
        return None;
    }
    let is_meant = |name: &str| match name.strip_suffix('*') {
        Some(beginning) => variable.get(..beginning.len()).is_some_and(|begins| begins.eq_ignore_ascii_case(beginning)),
        None => name.eq_ignore_ascii_case(variable),
    };
    OBEYED.iter().find(|(_, names)| names.split_whitespace().any(is_meant)).map(|(who, _)| *who)
}
