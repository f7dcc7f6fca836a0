# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)
# Calls of the program on Windows hosts, and the one document that each prints. Nobody has run this yet.

#AnsibleRequires -CSharpUtil Ansible.Process

Function Get-WyardOption {
    <#
    .SYNOPSIS
    The options that every module has.
    #>
    return @{
        program = @{ type = "str"; default = "wyard" }
        scope = @{ type = "str"; choices = "user", "system"; default = "user" }
        yard = @{ type = "path" }
    }
}

Function ConvertTo-CommandWord {
    <#
    .SYNOPSIS
    A word as CommandLineToArgvW reads it back.
    #>
    param ([String]$Word)
    if ($Word -notmatch '[\s"]' -and $Word) {
        return $Word
    }
    $doubled = $Word -replace '(\\*)"', '$1$1\"' -replace '(\\+)$', '$1$1'
    return '"' + $doubled + '"'
}

Function Invoke-Wyard {
    <#
    .SYNOPSIS
    Runs the program: its exit code and its report. An error of its own fails the module.
    #>
    param ([Object]$Module, [String[]]$Words)
    $all = $Words + @("--json", "--scope", $Module.Params.scope)
    if ($Module.Params.yard) {
        $all += @("--yard", $Module.Params.yard)
    }
    $words = (@($Module.Params.program) + $all | ForEach-Object { ConvertTo-CommandWord -Word $_ })
    $line = $words -join " "
    try {
        $ran = [Ansible.Process.ProcessUtil]::CreateProcess($null, $line, $null, $null, [Byte[]]@(), "utf-8")
    }
    catch {
        $Module.FailJson("wyard could not be started as $($Module.Params.program): $($_.Exception.Message)", $_)
    }
    try {
        $report = ConvertFrom-Json -InputObject $ran.StandardOut
    }
    catch {
        $Module.Result.rc = $ran.ExitCode
        $Module.FailJson("wyard ended with $($ran.ExitCode) and without a report: $($ran.StandardError)", $_)
    }
    if ($ran.ExitCode -notin 0, 1 -or $report.report -eq "error") {
        $Module.Result.rc = $ran.ExitCode
        $Module.Result.report = $report
        $Module.Result.next = $report.next
        $Module.FailJson((@($report.message) + $report.causes) -join ": ")
    }
    $Module.Result.report = $report
    return @{ Code = $ran.ExitCode; Report = $report }
}

Export-ModuleMember -Function Get-WyardOption, Invoke-Wyard
