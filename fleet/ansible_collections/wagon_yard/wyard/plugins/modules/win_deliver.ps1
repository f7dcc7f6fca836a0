#!powershell
# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)
# The module deliver for Windows hosts. Nobody has run it yet.

#AnsibleRequires -CSharpUtil Ansible.Basic
#AnsibleRequires -PowerShell ..module_utils.Program

$options = Get-WyardOption
$options.waybill = @{ type = "path" }
$options.content = @{ type = "str" }
$options.only = @{ type = "list"; elements = "str"; default = @() }
$options.retire_others = @{ type = "bool"; default = $false }
$options.installers = @{ type = "bool"; default = $false }
$spec = @{
    options = $options
    mutually_exclusive = @(, @("waybill", "content"))
    required_one_of = @(, @("waybill", "content"))
    supports_check_mode = $true
}
$module = [Ansible.Basic.AnsibleModule]::Create($args, $spec)

$waybill = $module.Params.waybill
if (-not $waybill) {
    $waybill = Join-Path -Path $module.Tmpdir -ChildPath "waybill.toml"
    [System.IO.File]::WriteAllText($waybill, $module.Params.content)
}
$words = @("deliver", $waybill)
foreach ($name in $module.Params.only) {
    $words += @("--only", $name)
}
if ($module.Params.retire_others) {
    $words += "--retire-others"
}
if ($module.Params.installers) {
    $words += "--yes"
}
if ($module.CheckMode) {
    $words += "--dry-run"
}
$ran = Invoke-Wyard -Module $module -Words $words
$tools = @($ran.Report.tools)

$changed = @($tools | Where-Object { $_.state -eq "planned" -or $null -ne $_.change })
$module.Result.changed = $changed.Count -gt 0
if ($null -ne $ran.Report.change) {
    $module.Result.undo = $ran.Report.change
}
$before = ""
$after = ""
foreach ($tool in $tools) {
    $title = "$($tool.name) $($tool.version): "
    $before += $title + $(if ($tool.steps) { "not as listed" } else { "as listed" }) + "`n"
    $after += $title + $(if ($tool.steps) { $tool.steps -join ", " } else { "as listed" }) + "`n"
    foreach ($prepared in $tool.prepared) {
        $after += "$($prepared.outcome) $($prepared.file)`n$($prepared.diff)"
    }
}
$module.Diff.before = $before
$module.Diff.after = $after

if ($ran.Code -ne 0) {
    $failed = @($tools | Where-Object { $_.state -in "failed", "skipped" } | ForEach-Object {
            "$($_.name) $($_.version): $($_.why)"
        })
    foreach ($checked in $ran.Report.checks) {
        foreach ($command in ($checked.commands | Where-Object { $_.verdict -ne "good" })) {
            $failed += "$($command.name) of $($checked.name): $($command.verdict)"
        }
    }
    $module.FailJson($(if ($failed) { $failed -join "; " } else { "the check of the delivered tools failed" }))
}
$module.ExitJson()
