#!powershell
# Copyright: the authors of Wagon Yard
# MIT License (see LICENSE)
# The module check for Windows hosts. Nobody has run it yet.

#AnsibleRequires -CSharpUtil Ansible.Basic
#AnsibleRequires -PowerShell ..module_utils.Program

$options = Get-WyardOption
$options.names = @{ type = "list"; elements = "str"; default = @() }
$module = [Ansible.Basic.AnsibleModule]::Create($args, @{ options = $options; supports_check_mode = $true })

$ran = Invoke-Wyard -Module $module -Words (@("check") + $module.Params.names)
$verdicts = @{}
$bad = @()
foreach ($tool in $ran.Report.tools) {
    foreach ($command in $tool.commands) {
        $verdicts[$command.name] = $command.verdict
        if ($command.verdict -ne "good") {
            $bad += "$($command.name): $($command.verdict)"
            $bad += @($command.findings | ForEach-Object { $_.seen })
        }
    }
}
$module.Result.verdicts = $verdicts
if ($ran.Code -ne 0) {
    $bad += @($ran.Report.findings | ForEach-Object { $_.seen })
    $module.FailJson($(if ($bad) { $bad -join "; " } else { "the check failed" }))
}
$module.ExitJson()
